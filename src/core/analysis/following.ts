import { codes, type Finding } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import { withoutPrototype } from '../text/without-prototype.ts';
import type { Collection } from './collection.ts';

// What only follows from something else that is wrong, and goes with it. It is not told.

/** Where settings cannot be read, what they would have set is missing too. */
const ofSettings: ReadonlySet<string> = new Set([
  'base-missing',
  'name-unknown',
  'environment-unknown',
  'database-unknown',
]);
/** What follows from a setting that has another name. */
const ofMistaken: { readonly [setting: string]: readonly string[] } = withoutPrototype({
  base: ['base-missing'],
  variables: ['name-unknown', 'environment-unchosen'],
  environments: ['name-unknown', 'environment-unchosen', 'environment-unknown'],
  databases: ['database-unknown'],
});
/** Where a part of a case cannot be read, a request or a check may be missing. */
const ofCases: ReadonlySet<string> = new Set(['no-response-yet', 'request-unchecked']);
/** Where anything cannot be read, a name may be given or used there. */
const ofNames: ReadonlySet<string> = new Set(['name-unknown', 'name-unused']);

/** Leaves out what only follows from other findings. */
export function withoutFollowing(findings: readonly Finding[], collection: Collection): Finding[] {
  if (findings.length < 2) return [...findings];
  const isUnreadable = findings.some(({ code }) => code === 'yaml-form' || code === 'setting-form');
  const unread = collection.pages.flatMap(({ page }) => page.unread);
  const foreign = findings.filter(({ code }) => code === 'reference-form' || code === 'reference-like');
  const unknown = findings.filter(({ code }) => code === 'name-unknown');
  const inUnreadCase = unreadCases(collection);
  const ofOthers = new Set(findings.flatMap(each => ofMistaken[settingMeantBy(each) ?? ''] ?? []));
  // What may be payload is none where a reference in it has no value: the run could not send it.
  const certain = findings.map(each =>
    each.code === 'reference-like' && unknown.some(other => isAbout(each, other))
      ? { ...each, code: 'reference-form' as const, severity: codes['reference-form'] }
      : each,
  );
  return certain.filter(each => {
    const { code } = each;
    if ((isUnreadable && ofSettings.has(code)) || ofOthers.has(code)) return false;
    if (ofCases.has(code) && inUnreadCase(each)) return false;
    // What is written as a reference of another notation is no use of its name.
    if (code === 'name-unknown' && foreign.some(other => isAbout(other, each))) return false;
    if (code === 'base-form' && foreign.some(other => isWithin(other, each))) return false;
    if (ofNames.has(code) && unread.length > 0 && isNamedIn(unread, each)) return false;
    return (
      code !== 'reference-like' ||
      !foreign.some(other => other.code === 'reference-form' && isWithin(each, other))
    );
  });
}

/** Of a key that is no setting: the one that it says is meant. */
function settingMeantBy({ code, remedy = '' }: Finding): string | undefined {
  return code === 'setting-unknown' ? /^(?:Here it is|Did you mean) '?(\w+)/.exec(remedy)?.[1] : undefined;
}

function isWithin({ source, range }: Finding, outer: Finding): boolean {
  return source === outer.source && range.start >= outer.range.start && range.end <= outer.range.end;
}

/** Whether a reference of another notation is what a name without a value was read from. */
function isAbout({ source, range }: Finding, unknown: Finding): boolean {
  if (source !== unknown.source || range.start >= unknown.range.end || range.end <= unknown.range.start)
    return false;
  return isNamedIn([source.text.slice(range.start, range.end)], unknown);
}

/** Whether the name that a finding is about stands in one of the texts. */
function isNamedIn(texts: readonly string[], { message }: Finding): boolean {
  const [, name] = /^'([^']+)'/.exec(message) ?? [];
  if (name === undefined) return false;
  const word = new RegExp(`(?<![\\w-])${name}(?![\\w-])`);
  return texts.some(text => word.test(text));
}

/** Says of a finding whether it stands in a case of which something could not be read. */
function unreadCases({ pages }: Collection): (finding: Finding) => boolean {
  const lines = new Map<Source, { from: number; to: number }[]>();
  for (const { page } of pages) {
    const unread = page.cases.filter(each => each.unread).map(each => each.lines);
    if (unread.length > 0) lines.set(page.source, unread);
  }
  return ({ source, range }) => {
    const unread = lines.get(source);
    if (!unread) return false;
    const { line } = source.position(range.start);
    return unread.some(({ from, to }) => line >= from && line < to);
  };
}
