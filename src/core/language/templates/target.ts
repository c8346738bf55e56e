import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';
import { isObject, kindInWords, kindOf, type Value } from '../../model/value.ts';
import { textOf } from '../../values/text.ts';
import type { EvaluationContext } from '../evaluation-context.ts';
import { dotted, type Reference } from '../reference.ts';
import { refuseValue, valueFor } from './render.ts';
import type { Template } from './template.ts';

// URI templates, RFC 6570, all four levels.

export interface Variable {
  readonly reference: Reference;
  readonly explode: boolean;
  /** `{name:3}`: so many characters of the value. */
  readonly prefix?: number;
}

export interface Expansion {
  readonly operator: Operator;
  readonly variables: readonly Variable[];
  /** Before the '?': an empty value would make another path of it. */
  readonly inPath: boolean;
  /** At the very beginning of a target, where a whole address may stand: inserted as it is. */
  readonly asIs: boolean;
}

export interface TargetTemplate {
  readonly parts: readonly (string | Expansion)[];
}

type Operator = '' | '+' | '#' | '.' | '/' | ';' | '?' | '&';

/** RFC 6570, appendix A. */
const behaviours: {
  [operator in Operator]: {
    first: string;
    separator: string;
    named: boolean;
    empty: string;
    reserved: boolean;
  };
} = {
  '': { first: '', separator: ',', named: false, empty: '', reserved: false },
  '+': { first: '', separator: ',', named: false, empty: '', reserved: true },
  '#': { first: '#', separator: ',', named: false, empty: '', reserved: true },
  '.': { first: '.', separator: '.', named: false, empty: '', reserved: false },
  '/': { first: '/', separator: '/', named: false, empty: '', reserved: false },
  ';': { first: ';', separator: ';', named: true, empty: '', reserved: false },
  '?': { first: '?', separator: '&', named: true, empty: '=', reserved: false },
  '&': { first: '&', separator: '&', named: true, empty: '=', reserved: false },
};

const variable = `${dotted}(?:\\*|:[1-9]\\d{0,3})?`;
const expansion = new RegExp(`\\\\\\{|\\{([+#./;?&]?)(${variable}(?:,${variable})*)\\}`, 'g');

/** @param place turns offsets of `text` into a range of the page */
export function parseTarget(text: string, place: (start: number, end: number) => Range): TargetTemplate {
  const parts: (string | Expansion)[] = [];
  let at = 0;
  const literal = (until: number) => {
    if (until > at) parts.push(encodeLiteral(text.slice(at, until)));
  };
  for (const match of text.matchAll(expansion)) {
    literal(match.index);
    at = match.index + match[0].length;
    if (match[0] === '\\{') parts.push('%7B');
    else {
      const inPath = !text.slice(0, match.index).includes('?');
      const operator = match[1] as Operator;
      const variables = parseVariables(match[2]!, match.index + 1 + operator.length, operator, place);
      parts.push({
        operator,
        variables,
        inPath,
        asIs: match.index === 0 && (operator === '' || operator === '+'),
      });
    }
  }
  literal(text.length);
  return { parts };
}

function parseVariables(
  list: string,
  start: number,
  operator: Operator,
  place: (start: number, end: number) => Range,
): Variable[] {
  let at = start;
  return list.split(',').map(written => {
    const [, names, suffix = ''] = /^([^*:]+)(.*)$/.exec(written)!;
    const [name, ...path] = names!.split('.');
    const reference: Reference = {
      type: 'reference',
      name: name!,
      path,
      raw: operator === '+',
      range: place(at, at + written.length),
    };
    at += written.length + 1;
    return {
      reference,
      explode: suffix === '*',
      ...(suffix.startsWith(':') && { prefix: Number(suffix.slice(1)) }),
    };
  });
}

/** What is written literally goes out as written, but for characters that cannot stand in a request line. */
function encodeLiteral(text: string): string {
  return text.replace(/[^\u0021-\u007e]+/g, encodeURIComponent);
}

/** Whether a text looks like a host, with or without a port and a path, whose scheme is missing. */
export function isHost(text: string): boolean {
  return /^(?:localhost|\[[\da-f:.]+\]|\d{1,3}(?:\.\d{1,3}){3}|[\w-]+(?:\.[\w-]+)*\.[a-z]{2,}|[\w.-]+(?=:\d))(?::\d+)?(?:[/?#]|$)/i.test(
    text,
  );
}

/** A host whose scheme is missing, with the one that is most likely meant. */
export function withScheme(text: string): string {
  return `${/^(?:localhost|127\.|\[::1\])/i.test(text) ? 'http' : 'https'}://${text}`;
}

/** The spaces and control characters that a target must not hold are a SourceError at their place. */
export function refuseSpaces(text: string, place: (start: number, end: number) => Range): void {
  const at = text.search(/\s/);
  if (at >= 0)
    throw new SourceError(
      'request-line',
      place(at, at + 1),
      'A target holds no white space.',
      'Write %20 for a space.',
    );
}

export function referencesOfTarget({ parts }: TargetTemplate): Reference[] {
  const references: Reference[] = [];
  for (const part of parts)
    if (typeof part !== 'string') for (const each of part.variables) references.push(each.reference);
  return references;
}

/** Fills a target. Throws TemplateError. */
export function renderTarget({ parts }: TargetTemplate, context: EvaluationContext): string {
  let result = '';
  const filled: Filled[] = [];
  for (const part of parts) {
    if (typeof part === 'string') {
      result += part;
      continue;
    }
    const start = result.length;
    result += expand(part, context);
    if (part.inPath && !part.asIs)
      filled.push({ start, end: result.length, reference: part.variables[0]!.reference });
  }
  if (filled.length > 0) refuseDots(result, filled, context);
  return result;
}

/** What a reference came to, as a stretch of an address. */
interface Filled {
  readonly start: number;
  readonly end: number;
  readonly reference: Reference;
}

/** A segment of a path that a value makes `.` or `..` would lead elsewhere (RFC 3986, 5.2.4). */
function refuseDots(address: string, filled: readonly Filled[], context: EvaluationContext): void {
  for (const { start, end, reference } of filled) {
    const from = address.lastIndexOf('/', start - 1) + 1;
    const stop = address.slice(end).search(/[/?#]/);
    const to = stop < 0 ? address.length : end + stop;
    const path = address.slice(from, to).replace(/[?#].*$/, '');
    if (path.split(/[/\\]|%5c/i).some(segment => /^(?:\.|%2e){1,2}$/i.test(segment)))
      refuseValue(
        reference,
        context,
        "makes a part of the path '.' or '..', which would lead to another path",
      );
  }
}

/**
 * Fills what stands before targets: a value at its beginning is inserted as it is, one in the authority must not end it,
 * and behind it values are encoded as in a target. Throws TemplateError.
 */
export function renderBase({ parts }: Template, context: EvaluationContext): string {
  let result = '';
  const filled: Filled[] = [];
  for (const part of parts) {
    if (typeof part === 'string') {
      result += part;
      continue;
    }
    const { reference } = part;
    const value = valueFor(reference, context);
    const text = textOf(value);
    if (text === undefined)
      refuseValue(reference, context, `is ${kindInWords(kindOf(value))}, which cannot stand in an address`);
    const start = result.length;
    if (result === '' || reference.raw) result += text;
    else if (!/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*[/?#]/i.test(result)) {
      if (/[/?#@\\\s]/.test(text))
        refuseValue(
          reference,
          context,
          'holds what ends the host of an address; {+name} inserts it as it is',
        );
      result += text;
    } else {
      const inQuery = result.includes('?');
      if (text === '' && !inQuery)
        refuseValue(reference, context, 'is empty, which would make another path of this one');
      result += encodeValue(text);
      if (!inQuery) filled.push({ start, end: result.length, reference });
    }
  }
  if (filled.length > 0) refuseDots(result, filled, context);
  return result;
}

function expand({ operator, variables, inPath, asIs }: Expansion, context: EvaluationContext): string {
  const behaviour = behaviours[operator];
  const expanded: string[] = [];
  for (const each of variables) {
    const value = valueFor(each.reference, context);
    if (inPath && !behaviour.named && isNothing(value))
      refuseValue(each.reference, context, 'is empty, which would make another path of this one');
    if (asIs) {
      expanded.push(
        textOf(value) ??
          refuseValue(
            each.reference,
            context,
            `is ${kindInWords(kindOf(value))}, which cannot begin a target`,
          ),
      );
      continue;
    }
    const text = expandVariable(each, value, behaviour, context);
    if (text !== undefined) expanded.push(text);
  }
  return expanded.length === 0 ? '' : behaviour.first + expanded.join(behaviour.separator);
}

function isNothing(value: Value): boolean {
  return value === null || value === '' || textOf(value) === '';
}

type Behaviour = (typeof behaviours)[Operator];

/** RFC 6570, 3.2.1; nothing for what counts as undefined. */
function expandVariable(
  { reference, explode, prefix }: Variable,
  value: Value,
  behaviour: Behaviour,
  context: EvaluationContext,
): string | undefined {
  const name = reference.path.at(-1) ?? reference.name;
  const encode = (text: string) => encodeValue(text, behaviour.reserved ? reservedToo : unreserved);
  const withName = (key: string, text: string) => (text === '' ? key + behaviour.empty : `${key}=${text}`);
  const textIn = (item: Value) =>
    textOf(item) ??
    refuseValue(reference, context, `holds ${kindInWords(kindOf(item))}, which cannot stand in a target`);
  if (value === null) return undefined;
  if (Array.isArray(value) || isObject(value)) {
    if (prefix !== undefined)
      refuseValue(
        reference,
        context,
        `is ${kindInWords(kindOf(value))}, of which a beginning cannot be taken`,
      );
    const entries = Array.isArray(value)
      ? value.map(item => [undefined, encode(textIn(item))] as const)
      : Object.entries(value)
          .filter(([, item]) => item !== null)
          .map(([key, item]) => [encode(key), encode(textIn(item))] as const);
    if (entries.length === 0) return undefined;
    if (!explode) {
      const list = entries.map(([key, text]) => (key === undefined ? text : `${key},${text}`)).join(',');
      return behaviour.named ? withName(name, list) : list;
    }
    return entries
      .map(([key, text]) =>
        key !== undefined
          ? behaviour.named
            ? withName(key, text)
            : `${key}=${text}`
          : behaviour.named
            ? withName(name, text)
            : text,
      )
      .join(behaviour.separator);
  }
  const text = textIn(value);
  const encoded = encode(prefix === undefined ? text : [...text].slice(0, prefix).join(''));
  return behaviour.named ? withName(name, encoded) : encoded;
}

const unreserved = /[A-Za-z0-9\-._~]/g;
/** With percent-triplets. */
const reservedToo = /%[0-9A-Fa-f]{2}|[A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=]/g;

/** Percent-encodes all but what is to be left. */
function encodeValue(text: string, keep = unreserved): string {
  let result = '';
  let at = 0;
  for (const match of text.matchAll(keep)) {
    result += percentEncode(text.slice(at, match.index)) + match[0];
    at = match.index + match[0].length;
  }
  return result + percentEncode(text.slice(at));
}

function percentEncode(text: string): string {
  if (text === '') return '';
  return [...Buffer.from(text, 'utf8')]
    .map(byte => `%${byte.toString(16).toUpperCase().padStart(2, '0')}`)
    .join('');
}
