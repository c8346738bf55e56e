import { durationText, sizeText } from '../values/text.ts';
import { type Kind, kindInWords } from '../values/value.ts';
import type { Expression } from './ast.ts';
import { functions } from './functions.ts';

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
    case 'negative':
      return kindOfExpression(node.operand);
    default:
      return 'any';
  }
}

function kindOfSource(form: string): StaticKind {
  switch (form) {
    case 'status':
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
      return 'text';
    case 'bytes':
      return 'bytes';
    case 'path':
      return 'any';
    default:
      return 'plain';
  }
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
    if (wrong) return { message: `${sentence(wrong)} has no order, so '${operator}' can never hold.` };
  }
  if ([a, b].some(kind => kind === 'any' || kind === 'plain' || kind === 'null')) return undefined;
  if (a === b || (a === 'text' && instants.includes(b)) || (b === 'text' && instants.includes(a)))
    return undefined;
  const remedy = mend(left, right, a, b) ?? mend(right, left, b, a);
  return {
    message: `${sentence(a)} and ${kindInWords(b as Kind)} can never be compared.`,
    ...(remedy !== undefined && { remedy }),
  };
}

function sentence(kind: StaticKind): string {
  const words = kindInWords(kind as Kind);
  return words[0]!.toUpperCase() + words.slice(1);
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
  if (name === 'fault') return 'A fault is one of a few words: fault = "refused".';
  if (name === 'reason' && right.type === 'number')
    return `The number of a status is 'status': write status = ${right.value}.`;
  if (a === 'text' && b === 'number' && right.type === 'number')
    return `A text stands in quotes: write "${right.value}".`;
  return undefined;
}
