import { type Found, isObject, kindInWords, kindOf, Missing, type Value } from '../model/value.ts';
import type { Reference } from './ast.ts';
import type { EvaluationContext } from './evaluation-context.ts';

/** An expression made ready: built once for a page, evaluated for every response. */
export type Evaluate = (context: EvaluationContext) => Found;

export function compileReference({ name, path }: Reference): Evaluate {
  return context => {
    const entry = context.lookup(name);
    return entry ? descend(entry.value, path, name) : new Missing(`'${name}' has no value here`);
  };
}

/** Follows `.id` and `.0` into a value. */
export function descend(value: Value, path: readonly string[], name: string): Found {
  let current = value;
  for (const step of path) {
    const next = Array.isArray(current)
      ? current[Number(step)]
      : isObject(current) && Object.hasOwn(current, step)
        ? current[step]
        : undefined;
    if (next === undefined)
      return new Missing(
        `{${[name, ...path].join('.')}}: ${kindInWords(kindOf(current))} there has no '${step}'`,
      );
    current = next;
  }
  return current;
}
