import { referenceText } from '../language/reference.ts';
import type { Expansion, TargetTemplate } from '../language/templates/target.ts';
import { withoutOrigin } from '../text/hosts.ts';
import { percentDecoded } from '../text/percent.ts';
import type { Bindings } from './bindings.ts';
import { TextPattern } from './text-pattern.ts';

/** A part of a path between slashes: as it is, or a pattern. */
export type Segment = string | TextPattern;

/** A name of the query, and what stands behind it. */
export interface QueryCondition {
  readonly name: string;
  /** Any without it. */
  readonly value?: TextPattern;
}

/** A target, read backwards (RFC 6570). */
export interface TargetPattern {
  /** Of the path, without the slash before it. */
  readonly segments: readonly Segment[];
  /** What the path goes on with, where references may stand for several segments: `{+path}`, `{/names*}`. */
  readonly rest?: TextPattern;
  readonly query: readonly QueryCondition[];
}

/** References next to each other: nobody can tell where the one ends and the other begins. */
export interface Ambiguity {
  readonly first: string;
  readonly second: string;
}

type Part = TargetTemplate['parts'][number];

/** @param path what stands before the target, without its host */
export function readTarget({ parts }: TargetTemplate, path: string): TargetPattern {
  const { before, behind } = atQuestionMark(withoutHost(parts));
  const whole: Part[] = [path, ...before];
  const spanning = whole.findIndex(part => typeof part !== 'string' && /^[+/]$/.test(part.operator));
  const plain = spanning < 0 ? whole : whole.slice(0, spanning);
  const segments = segmentsOf(plain);
  const query = queryOf(behind);
  if (spanning < 0) return { segments: segments.map(each => segmentOf(each)), query };
  // What comes before it within its segment goes with it.
  const last = segments.pop() ?? [];
  const rest = patternOf([...last, ...whole.slice(spanning)]);
  return { segments: segments.map(each => segmentOf(each)), rest, query };
}

/** Where two references stand side by side in the path or in a value of the query. */
export function ambiguityOf({ parts }: TargetTemplate): Ambiguity | undefined {
  for (const [index, part] of parts.entries()) {
    const next = parts[index + 1];
    if (typeof part === 'string' || next === undefined || typeof next === 'string') continue;
    const isApart = next.operator !== '' && next.operator !== '+';
    if (!isApart && part.operator !== '?' && part.operator !== '&')
      return { first: nameOf(part), second: nameOf(next) };
  }
  return undefined;
}

function nameOf({ variables }: Expansion): string {
  return referenceText(variables[0]!.reference);
}

/** Where a target names a host, its path counts alone. */
function withoutHost(parts: readonly Part[]): readonly Part[] {
  const [first, ...others] = parts;
  if (typeof first !== 'string') return parts;
  const path = withoutOrigin(first);
  return path === first ? parts : [path === '' && others.length === 0 ? '/' : path, ...others];
}

function atQuestionMark(parts: readonly Part[]): { before: Part[]; behind: Part[] } {
  const at = parts.findIndex(part =>
    typeof part === 'string' ? part.includes('?') : /^[?&]$/.test(part.operator),
  );
  if (at < 0) return { before: withoutFragment(parts), behind: [] };
  const part = parts[at]!;
  if (typeof part !== 'string') return { before: parts.slice(0, at), behind: parts.slice(at) };
  const mark = part.indexOf('?');
  return {
    before: [...parts.slice(0, at), part.slice(0, mark)],
    behind: [part.slice(mark + 1), ...parts.slice(at + 1)],
  };
}

/** What stands behind a # is never sent. */
function withoutFragment(parts: readonly Part[]): Part[] {
  const at = parts.findIndex(part => (typeof part === 'string' ? part.includes('#') : part.operator === '#'));
  if (at < 0) return [...parts];
  const part = parts[at]!;
  return [...parts.slice(0, at), ...(typeof part === 'string' ? [part.replace(/#.*$/, '')] : [])];
}

function segmentsOf(parts: readonly Part[]): Part[][] {
  const segments: Part[][] = [[]];
  for (const part of parts) {
    if (typeof part !== 'string') {
      segments.at(-1)!.push(part);
      continue;
    }
    const [first = '', ...others] = part.split('/');
    if (first !== '') segments.at(-1)!.push(first);
    for (const each of others) segments.push(each === '' ? [] : [each]);
  }
  // A path begins with a slash.
  if (segments.length > 1 && segments[0]!.length === 0) segments.shift();
  return segments;
}

function segmentOf(parts: readonly Part[]): Segment {
  if (parts.every(part => typeof part === 'string')) return percentDecoded(parts.join(''));
  return patternOf(parts);
}

/** What came is decoded before it is set beside this, but for what an expansion separates its values by. */
function patternOf(parts: readonly Part[]): TextPattern {
  const pieces = parts.flatMap(part => (typeof part === 'string' ? [percentDecoded(part)] : expanded(part)));
  return new TextPattern(pieces, false);
}

/** An expansion in a path: what it puts before and between its values, and their names. */
function expanded({ operator, variables }: Expansion): (string | { key: string })[] {
  const first = operator === '.' || operator === '/' || operator === ';' ? operator : '';
  const separator = first === '' ? ',' : first;
  return variables.flatMap(({ reference }, index) => {
    const key = referenceText(reference);
    const named = operator === ';' ? `${reference.path.at(-1) ?? reference.name}=` : '';
    return [`${index === 0 ? first : separator}${named}`, { key }].filter(part => part !== '');
  });
}

function queryOf(parts: readonly Part[]): QueryCondition[] {
  const conditions: QueryCondition[] = [];
  let open: { name: string; value: (string | { key: string })[] } | undefined;
  const close = () => {
    if (open && open.name !== '') conditions.push({ name: open.name, value: new TextPattern(open.value) });
    open = undefined;
  };
  for (const part of parts) {
    if (typeof part !== 'string') {
      if (part.operator === '#') break;
      if (part.operator === '?' || part.operator === '&') {
        close();
        for (const { reference } of part.variables)
          conditions.push({
            name: reference.path.at(-1) ?? reference.name,
            value: new TextPattern([{ key: referenceText(reference) }]),
          });
      } else open?.value.push(...expanded(part));
      continue;
    }
    const [text = '', isCut] = [part.replace(/#.*$/, ''), part.includes('#')];
    for (const [index, pair] of text.split('&').entries()) {
      const equals = pair.indexOf('=');
      if (index > 0) close();
      if (open) open.value.push(decodedQuery(pair));
      else if (pair !== '')
        open =
          equals < 0
            ? { name: decodedQuery(pair), value: [] }
            : {
                name: decodedQuery(pair.slice(0, equals)),
                value: [decodedQuery(pair.slice(equals + 1))].filter(each => each !== ''),
              };
    }
    if (isCut) break;
  }
  close();
  return conditions;
}

export function decodedQuery(text: string): string {
  return percentDecoded(text.replaceAll('+', ' '));
}

/** The names and values of a query, as they came. */
export function pairsOf(query: string): (readonly [name: string, value: string])[] {
  if (query === '') return [];
  return query
    .split('&')
    .filter(pair => pair !== '')
    .map(pair => {
      const equals = pair.indexOf('=');
      return equals < 0
        ? ([decodedQuery(pair), ''] as const)
        : ([decodedQuery(pair.slice(0, equals)), decodedQuery(pair.slice(equals + 1))] as const);
    });
}

/** Whether a query has what is written of it; one name may come several times. */
export function missesIn(
  conditions: readonly QueryCondition[],
  pairs: readonly (readonly [name: string, value: string])[],
  bindings: Bindings,
): QueryCondition | undefined {
  return conditions.find(
    ({ name, value }) =>
      !pairs.some(([own, text]) => own === name && (!value || value.matches(text, bindings))),
  );
}

/** A whole address that is known. */
export function literalTarget(url: string): TargetPattern {
  const [path = '', query = ''] = withoutOrigin(url)
    .replace(/#.*$/, '')
    .split(/\?(.*)/s);
  const { segments } = readTarget({ parts: [path === '' ? '/' : path] }, '');
  return {
    segments,
    query: pairsOf(query).map(([name, value]) => ({ name, value: new TextPattern([value]) })),
  };
}
