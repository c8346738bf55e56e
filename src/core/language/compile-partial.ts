import { Missing, type Value } from '../model/value.ts';
import type { Expression } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { AnyOf, type Partial } from './difference.ts';
import type { EvaluationContext } from './evaluation-context.ts';

/** What stands behind `includes`: a value in which types may stand for members and items. */
export function compilePartial(node: Expression): (context: EvaluationContext) => Partial | Missing {
  switch (node.type) {
    case 'type-word': {
      const any = new AnyOf(node.types);
      return () => any;
    }
    case 'list': {
      const items = node.items.map(compilePartial);
      return context => {
        const list: Partial[] = [];
        for (const item of items) {
          const part = item(context);
          if (part instanceof Missing) return part;
          list.push(part);
        }
        return list;
      };
    }
    case 'object': {
      const members = node.members.map(({ name, value }) => ({
        name: compileExpression(name),
        value: compilePartial(value),
      }));
      return context => {
        const entries: [string, Partial][] = [];
        for (const member of members) {
          const [name, part] = [member.name(context), member.value(context)];
          if (name instanceof Missing) return name;
          if (part instanceof Missing) return part;
          entries.push([name as string, part]);
        }
        return Object.fromEntries(entries) as Partial;
      };
    }
    default: {
      const evaluate = compileExpression(node);
      return context => evaluate(context) as Value | Missing;
    }
  }
}
