import { SourceError } from '../model/finding.ts';
import { type Kind, kindInWords } from '../model/value.ts';
import type { Arithmetic, Call, Expression } from './ast.ts';
import { canBeGiven, parameterInWords } from './functions/signature.ts';
import { functions } from './functions/table.ts';
import { inSentence, kindOfArithmetic, kindOfExpression } from './static-kinds.ts';

/** A calculation that has no meaning, whatever the values. */
export function checkArithmetic({ operator, left, right, range }: Arithmetic): SourceError[] {
  const [a, b] = [kindOfExpression(left), kindOfExpression(right)];
  if (kindOfArithmetic(operator, a, b) !== undefined) return [];
  const known = [a, b].filter(kind => kind !== 'any' && kind !== 'plain');
  const message =
    known.length === 2
      ? `${inSentence(a)} ${operator} ${kindInWords(b as Kind)} has no meaning.`
      : `'${operator}' cannot be used on ${kindInWords(known[0] as Kind)}.`;
  return [new SourceError('never-equal', range, message, remedyFor(operator, a, b))];
}

function remedyFor(operator: string, a: string, b: string): string | undefined {
  if (operator === '+' && (a === 'text' || b === 'text'))
    return 'Texts are put together in one: "{first}{second}"';
  if ([a, b].some(kind => kind === 'date' || kind === 'timestamp'))
    return 'A date goes on by a duration: today() + 2 days';
  if ([a, b].includes('duration')) return 'A duration has a unit: 300 ms, 2 s, 3 days.';
  return [a, b].includes('size') ? 'A size has a unit: 20 kB, 1 MiB.' : undefined;
}

/** What is given to a function and can never be what it takes. */
export function checkCall({ name, arguments: given, range }: Call): SourceError[] {
  const { parameters } = functions[name]!;
  return given.flatMap((each, index) => {
    const parameter = parameters[index]!;
    const kind = kindOfExpression(each);
    if (each.type === 'pattern' || canBeGiven(kind, parameter)) return [];
    return [
      new SourceError(
        'function-arguments',
        each.range ?? range,
        `${name}() takes ${parameterInWords(parameter)} here, not ${kindInWords(kind as Kind)}.`,
        remedyForArgument(each, parameter),
      ),
    ];
  });
}

function remedyForArgument(given: Expression, parameter: string): string | undefined {
  if (parameter === 'list' && given.type === 'query') return "Lead it by 'all' for a list.";
  return parameter === 'text' ? 'text(…) makes a text of a value.' : undefined;
}

/** Where a duration is wanted. */
export function checkDuration(node: Expression): SourceError[] {
  const kind = kindOfExpression(node);
  if (kind === 'duration' || kind === 'any' || kind === 'plain') return [];
  const remedy = node.type === 'number' ? `Write ${node.value} s, or ${node.value} ms.` : 'For example: 2 s';
  return [
    new SourceError(
      'never-equal',
      node.range,
      `A duration should stand here, not ${kindInWords(kind)}.`,
      remedy,
    ),
  ];
}
