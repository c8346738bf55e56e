import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';

/** What other notations take for a reference, and what is none here: it would be sent as it stands. */
export interface ForeignReference {
  readonly form:
    | 'doubled'
    | 'dollar-braces'
    | 'dollar'
    | 'unclosed'
    | 'spaced'
    | 'angle'
    | 'colon'
    | 'percent';
  /** As it is written. */
  readonly written: string;
  /** The name that is most likely meant. */
  readonly name: string;
  readonly start: number;
  readonly end: number;
}

type Form = ForeignReference['form'];

/** How each is written; a group holds what stands for a name. */
const forms: { readonly [form in Form]: RegExp } = {
  doubled: /(?<!\\)\{\{+([^{}\n]{0,200})\}\}+/g,
  'dollar-braces': /(?<!\\)\$\{([^{}\n]{0,200})\}/g,
  dollar: /(?<![\w$\\])\$([A-Za-z_]\w*)/g,
  // Up to the end of the text that it stands in, or of its line, nothing closes it.
  unclosed: /(?<![\\{$])\{\+?([A-Za-z][\w.-]*)(?=[^\w.\-{}"\n][^{}"\n]*(?:["\n]|$)|["\n]|$)/g,
  spaced: /(?<!\\)\{(?:\s+([A-Za-z][\w.-]*)\s*|([A-Za-z][\w.-]*)\s+)\}/g,
  angle: /<([A-Za-z][\w.-]*)>/g,
  colon: /(?<=\/):([A-Za-z_]\w*)(?=[/?#]|$)/g,
  percent: /%([A-Za-z_]\w*)%/g,
};

/** What a text has to hold for one of them to be in it: most texts hold none, and all of a collection are looked at. */
const signs: { readonly [form in Form]: (text: string) => boolean } = {
  doubled: text => text.includes('{{'),
  'dollar-braces': text => text.includes('${'),
  dollar: text => text.includes('$') && /\$[A-Za-z_]/.test(text),
  unclosed: text => text.includes('{') && /\{\+?[A-Za-z][\w.-]*(?![\w.}-])/.test(text),
  spaced: text => text.includes('{') && /\{\s|\s\}/.test(text),
  angle: text => text.includes('<'),
  colon: text => text.includes('/:'),
  percent: text => text.includes('%'),
};

/** Every sign in one look: a page that holds none of them need not be looked through. */
const anySign =
  /\{\{|\$[A-Za-z_{]|\{\+?[A-Za-z][\w.-]*(?![\w.}-])|\{\s+[A-Za-z][\w.-]*\s*\}|<[A-Za-z][\w.-]*>|\/:[A-Za-z_]|%[A-Za-z_]\w*%/;

export function mayHoldForeignReferences(text: string): boolean {
  return anySign.test(text);
}

/** The references of other notations in a stretch of a text, in its order; those alone whose form is asked for. */
export function foreignReferences(
  text: string,
  among: readonly Form[],
  { start, end }: Range = { start: 0, end: text.length },
): readonly ForeignReference[] {
  const stretch = text.slice(start, end);
  let found: ForeignReference[] | undefined;
  for (const form of among) {
    if (!signs[form](stretch)) continue;
    for (const match of stretch.matchAll(forms[form])) {
      const from = start + match.index;
      const [written, first, second] = match;
      const to = from + written.length;
      if (found?.some(each => from < each.end && to > each.start)) continue;
      found ??= [];
      found.push({ form, written, name: nameIn(first ?? second ?? ''), start: from, end: to });
    }
  }
  return found ? found.sort((a, b) => a.start - b.start) : none;
}

const none: readonly never[] = [];

/** `env.HOME | trim` means a name as well; `name` where there is none to be seen. */
function nameIn(inside: string): string {
  return /[A-Za-z][\w-]*(?:\.(?:[A-Za-z][\w-]*|\d+))*/.exec(inside)?.[0] ?? 'name';
}

/** What is wrong with one, and how it is written here. */
export function inWords({ form, written, name }: ForeignReference): { message: string; remedy: string } {
  const remedy = `Write {${name}}.`;
  switch (form) {
    case 'doubled':
      return { message: `A reference has one pair of braces, not two: ${written}`, remedy };
    case 'dollar-braces':
      return { message: `A reference has no dollar before its braces: ${written}`, remedy };
    case 'unclosed':
      return { message: `A reference begins here and is not closed: ${written}`, remedy };
    case 'spaced':
      return { message: `A reference holds no white space: ${written}`, remedy };
    default:
      return { message: `${written} is no reference here: it stands for itself.`, remedy };
  }
}

/** What is said besides where something else may be meant. */
function ifMeant(form: Form, isCertain: boolean): string {
  const braces =
    form === 'doubled' || form === 'unclosed' ? ' A brace that is meant as one is written \\{.' : '';
  return isCertain ? braces : `${braces} If none is meant: lint: { reference-like: off }`;
}

/** Where a text stands, and what of other notations may be meant there. */
export type Surroundings = 'target' | 'address' | 'header' | 'credentials' | 'payload' | 'document' | 'path';

/** In each of them: what can only be meant as a reference, and what may be payload as well. */
function places(certain: readonly Form[], likely: readonly Form[]) {
  return { certain, all: [...certain, ...likely] };
}

const taken: { readonly [around in Surroundings]: ReturnType<typeof places> } = {
  target: places(['doubled', 'dollar-braces', 'unclosed', 'angle'], ['dollar', 'colon', 'percent']),
  address: places(['doubled', 'dollar-braces', 'unclosed', 'spaced', 'angle'], ['dollar']),
  header: places(['doubled', 'dollar-braces'], ['spaced', 'dollar', 'unclosed']),
  credentials: places(['doubled', 'dollar-braces'], []),
  payload: places([], ['doubled', 'dollar-braces', 'dollar', 'unclosed']),
  // Of GraphQL: what is a variable there begins with a dollar.
  document: places([], ['doubled', 'dollar-braces']),
  path: places([], ['doubled', 'dollar-braces']),
};

const noErrors: readonly never[] = [];

/**
 * Tells of the references of other notations in a stretch of a text: errors where nothing else can be meant.
 * @param place turns offsets of the text into a range of the page
 */
export function foreignReferencesIn(
  text: string,
  around: Surroundings,
  place: (start: number, end: number) => Range,
  stretch?: Range,
): readonly SourceError[] {
  const { certain, all } = taken[around];
  const references = foreignReferences(text, all, stretch);
  if (references.length === 0) return noErrors;
  return references.map(found => {
    const { message, remedy } = inWords(found);
    const isCertain = certain.includes(found.form);
    const code = isCertain ? 'reference-form' : 'reference-like';
    const range = place(found.start, found.end);
    return new SourceError(code, range, message, remedy + ifMeant(found.form, isCertain));
  });
}

/** What is taken for a reference where a text cannot be read otherwise. */
const unreadable: readonly Form[] = [
  'doubled',
  'dollar-braces',
  'spaced',
  'unclosed',
  'dollar',
  'angle',
  'percent',
];

/**
 * The reference of another notation that keeps a text from being read.
 * @param near the stretch around the place where it cannot be
 * @param place turns offsets of the text into a range of the page
 */
export function unreadReference(
  text: string,
  near: Range,
  place: (start: number, end: number) => Range,
): SourceError | undefined {
  const found = foreignReferences(text, unreadable).find(
    ({ start, end }) => start <= near.end && end > near.start,
  );
  if (!found) return undefined;
  const { message, remedy } = inWords(found);
  // At the beginning of a statement a dollar may as well begin a path.
  const path = found.form === 'dollar' && found.start === 0 ? ` A member of JSON is $.${found.name}.` : '';
  return new SourceError('reference-form', place(found.start, found.end), message, remedy + path);
}
