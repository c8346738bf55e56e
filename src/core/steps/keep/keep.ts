import type { Expression } from '../../language/ast.ts';
import { compileExpression } from '../../language/compile-expression.ts';
import type { Evaluate } from '../../language/compile-reference.ts';
import { nearestPart } from '../../language/explain.ts';
import type { StatementSyntax } from '../../language/parser.ts';
import type { Place } from '../../model/place.ts';
import { Missing } from '../../model/value.ts';
import { givenNames, type NamingStatement, NamingStep } from '../naming-step.ts';
import { once, statementKind } from '../statement-kind.ts';
import { evaluateInTime } from '../statement-timeout.ts';
import type { StepPreview, StepRun, WrittenStep } from '../step.ts';

export interface Keep extends NamingStatement {
  readonly type: 'keep';
  readonly value: Expression;
  readonly secret: boolean;
  readonly otherwise?: Expression;
}

// keep :: keep value as secret? name ( or value )?
export const keepSyntax: StatementSyntax<Keep> = {
  word: 'keep',
  parse(parser, start) {
    const { lexer } = parser;
    const value = parser.value();
    const written = lexer.text.slice(start, lexer.at).trimEnd();
    const [, path] = /^keep\s+"(\$[.[][^"\s]*)"$/.exec(written) ?? [];
    if (path !== undefined)
      lexer.fail(
        'This is a text; a path stands without quotes.',
        lexer.at - path.length - 2,
        `Write: keep ${path} as NAME`,
      );
    if (!lexer.takeWord('as'))
      lexer.fail(
        "'as' should follow the value that is kept.",
        lexer.at,
        'It gets a name: keep $.id as berth',
      );
    const first = lexer.readName('A name');
    const secret = first.name === 'secret' && lexer.peekWord() !== undefined && lexer.peekWord() !== 'or';
    const { name, range: nameRange } = secret ? lexer.readName('A name') : first;
    const otherwise = lexer.takeWord('or') ? parser.value() : undefined;
    return {
      type: 'keep',
      value,
      name,
      nameRange,
      secret,
      ...(otherwise && { otherwise }),
      parts: otherwise ? [value, otherwise] : [value],
      range: lexer.since(start),
    };
  },
};

export const keepKind = statementKind<Keep>({
  type: 'keep',
  syntax: keepSyntax,
  gives: statement => givenNames(statement, 'keep'),
  plan: (statement, place) => new KeepStep(statement, place),
});

/** Whether a step keeps a value that nobody may see. */
export function isSecretKeep(step: WrittenStep): step is Keep {
  return step.type === 'keep' && (step as Keep).secret;
}

class KeepStep extends NamingStep {
  readonly kind = 'keep';
  readonly #evaluate: Evaluate;

  constructor(
    readonly statement: Keep,
    place: Place,
  ) {
    super(statement, 'keep', place);
    const { value, otherwise } = statement;
    this.#evaluate = once(() =>
      withDefault(compileExpression(value), otherwise && compileExpression(otherwise)),
    );
  }

  /** A value that is not there is a failed check: the cases that need the name are blocked by it. */
  carryOut(run: StepRun): true {
    const { written: text, secret } = this.statement;
    const value = evaluateInTime(this.#evaluate, run.evaluation);
    if (!(value instanceof Missing)) {
      this.giveName(run, value, { secret });
      return true;
    }
    run.fail();
    run.names.forget(this.gives[0]);
    run.emit({
      type: 'check',
      ...run.eventContext,
      place: this.place,
      text,
      holds: 'no',
      expected: `a value for '${this.gives[0].name}'`,
      found: `nothing: ${value.reason}`,
      ...nearestPart(run.evaluation),
    });
    return true;
  }

  preview({ names }: StepPreview): void {
    names.forget(this.gives[0]);
  }
}

function withDefault(evaluate: Evaluate, otherwise: Evaluate | undefined): Evaluate {
  if (!otherwise) return evaluate;
  return context => {
    const value = evaluate(context);
    return value instanceof Missing ? otherwise(context) : value;
  };
}
