import { type Kind, kindInWords } from '../model/value.ts';
import { capitalized } from '../text/words.ts';
import { durationText, sizeText } from '../values/text.ts';
import type { Expression } from './ast.ts';
import { functions } from './functions/table.ts';

/** What kind a value will have, as far as it can be known before the run. */
export type StaticKind = Kind | 'any';

export function kindOfExpression(node: Expression): StaticKind {
  switch (node.type) {
    case 'number':
    case 'text':
    case 'duration':
    case 'size':
    case 'list':
    case 'object':
      return node.type;
    case 'constant':
      return node.value === null ? 'null' : 'boolean';
    case 'call':
      return node.path.length > 0 ? 'any' : functions[node.name]!.result;
    case 'query':
      if (node.pick === 'count') return 'number';
      return node.pick === 'all' ? 'list' : node.of.type === 'source' ? kindOfSource(node.of.form) : 'any';
    case 'source':
      return 'pattern' in node && node.pattern ? 'plain' : kindOfSource(node.form);
    case 'truth':
      return 'boolean';
    case 'file':
      return 'bytes';
    case 'negative':
      return kindOfExpression(node.operand);
    case 'arithmetic':
      return (
        kindOfArithmetic(node.operator, kindOfExpression(node.left), kindOfExpression(node.right)) ?? 'any'
      );
    case 'pattern':
      return 'text';
    default:
      return 'any';
  }
}

function kindOfSource(form: string): StaticKind {
  switch (form) {
    case 'status':
    case 'exit':
    case 'changed':
      return 'number';
    case 'time':
      return 'duration';
    case 'size':
      return 'size';
    case 'body':
    case 'reason':
    case 'version':
    case 'url':
    case 'location':
    case 'fault':
    case 'output':
    case 'errors':
      return 'text';
    case 'bytes':
      return 'bytes';
    case 'hops':
      return 'list';
    case 'path':
      return 'any';
    default:
      return 'plain';
  }
}

/** What can be calculated, and what comes of it. */
const calculations: readonly [left: Kind, operators: string, right: Kind, result: Kind][] = [
  ['number', '+-*/', 'number', 'number'],
  ['duration', '+-', 'duration', 'duration'],
  ['duration', '*/', 'number', 'duration'],
  ['number', '*', 'duration', 'duration'],
  ['size', '+-', 'size', 'size'],
  ['timestamp', '+-', 'duration', 'timestamp'],
  ['date', '+-', 'duration', 'date'],
  ['duration', '+', 'timestamp', 'timestamp'],
  ['duration', '+', 'date', 'date'],
  ['timestamp', '-', 'timestamp', 'duration'],
  ['date', '-', 'date', 'duration'],
];

/** The kind of a result, or nothing where the kinds of both sides have none together. */
export function kindOfArithmetic(
  operator: string,
  left: StaticKind,
  right: StaticKind,
): StaticKind | undefined {
  const open = (kind: StaticKind) => kind === 'any' || kind === 'plain';
  const possible = calculations.filter(
    ([a, operators, b]) =>
      operators.includes(operator) && (open(left) || a === left) && (open(right) || b === right),
  );
  if (possible.length === 0) return undefined;
  const results = new Set(possible.map(([, , , result]) => result));
  // A date and a part of a day make a timestamp.
  return results.size === 1 && !results.has('date') ? [...results][0] : 'any';
}

const unordered: StaticKind[] = ['boolean', 'null', 'list', 'object', 'bytes'];
const instants: StaticKind[] = ['date', 'timestamp'];

/** Why two sides can never be equal, or never be ordered; nothing where they can. */
export function impossible(
  left: Expression,
  right: Expression,
  operator: string,
): { message: string; remedy?: string } | undefined {
  const [a, b] = [kindOfExpression(left), kindOfExpression(right)];
  const order = operator !== '=' && operator !== '!=';
  if (order) {
    const wrong = [a, b].find(kind => unordered.includes(kind));
    if (wrong) {
      const isAll = left.type === 'query' && left.pick === 'all';
      return {
        message: `${inSentence(wrong)} has no order, so '${operator}' can never hold.`,
        ...(isAll && { remedy: "What holds for each of them has 'each' before it." }),
      };
    }
  }
  if ([a, b].some(kind => kind === 'any' || kind === 'plain' || kind === 'null')) return undefined;
  if (a === b || (a === 'text' && instants.includes(b)) || (b === 'text' && instants.includes(a)))
    return undefined;
  const remedy = mend(left, right, a, b) ?? mend(right, left, b, a);
  return {
    message: `${inSentence(a)} and ${kindInWords(b as Kind)} can never be compared.`,
    ...(remedy !== undefined && { remedy }),
  };
}

/** `A text`: a kind at the beginning of a sentence. */
export function inSentence(kind: StaticKind): string {
  return capitalized(kindInWords(kind as Kind));
}

/** The form that was probably meant for the right side. */
function mend(left: Expression, right: Expression, a: StaticKind, b: StaticKind): string | undefined {
  const name = left.type === 'source' ? left.form : undefined;
  if (a === 'duration' && right.type === 'number')
    return `A time has a unit: write ${durationText(Number(right.value))}, or ${right.value} s.`;
  if (a === 'size' && right.type === 'number')
    return `A size has a unit: write ${sizeText(Number(right.value))}, or ${right.value} kB.`;
  if (a === 'number' && right.type === 'text' && /^\d+$/.test(right.parts.join('')))
    return `Write ${right.parts.join('')} without quotes.`;
  if (name === 'body' && (b === 'object' || b === 'list'))
    return "The JSON of a body is '$': $ = …, or $ includes … for a part of it.";
  if (name === 'fault') return 'A fault is one of a few words: fault = "refused".';
  if (name === 'reason' && right.type === 'number')
    return `The number of a status is 'status': write status = ${right.value}.`;
  if (a === 'text' && b === 'number' && right.type === 'number')
    return `A text stands in quotes: write "${right.value}".`;
  return undefined;
}
