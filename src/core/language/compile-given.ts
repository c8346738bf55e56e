import { kindInWords, kindOf, Missing, type Value } from '../model/value.ts';
import { textOf } from '../values/text.ts';
import { compileReference } from './compile-reference.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import type { Given, Path } from './jsonpath/ast.ts';
import { type CompiledPath, compileSegments } from './jsonpath/evaluate.ts';
import { Match } from './jsonpath/match.ts';
import { Search, SearchEnded } from './jsonpath/search.ts';

const none: readonly Value[] = [];

/** The values of the references that stand in a path or selector, in their order; or why one of them cannot. */
export function compileGiven(
  given: readonly Given[],
): (context: EvaluationContext) => readonly Value[] | Missing {
  if (given.length === 0) return () => none;
  const evaluates = given.map(({ reference }) => compileReference(reference));
  return context => {
    const values: Value[] = [];
    for (const [index, evaluate] of evaluates.entries()) {
      const value = evaluate(context);
      if (value instanceof Missing) return Missing.unreadable(value.reason);
      const { asText, reference } = given[index]!;
      const isFit = value instanceof Uint8Array ? false : !asText || textOf(value) !== undefined;
      if (!isFit)
        return Missing.unreadable(
          `{${reference.name}} is ${kindInWords(kindOf(value))}, which cannot stand there`,
        );
      values.push(value);
    }
    return values;
  };
}

/** A path made ready: all that it matches in a document, or why that cannot be said. */
export function compilePath({
  text,
  given,
  segments,
}: Path): (document: Value, context: EvaluationContext) => readonly Match[] | Missing {
  const select = compileSegments(segments);
  const fill = compileGiven(given);
  return (document, context) => {
    const values = fill(context);
    return values instanceof Missing ? values : follow(select, new Search(document, values), text);
  };
}

/** Follows a path as far as its time goes. */
export function follow(select: CompiledPath, search: Search, text: string): readonly Match[] | Missing {
  try {
    const found = select(new Match(search.root), search);
    return search.doubt() ?? found;
  } catch (error) {
    if (!(error instanceof SearchEnded)) throw error;
    return Missing.unreadable(`${text} is not followed to its end: ${error.message}`);
  }
}
