import type { Collection } from '../core/analysis/collection.ts';
import { Source } from '../core/model/source.ts';
import { readPage } from '../core/pages/read-page.ts';
import { Masker } from '../core/secrecy/masker.ts';
import type { WrittenRequest } from '../core/steps/http/request.ts';
import { counted, inWords } from '../core/text/words.ts';
import {
  besideOthers,
  casesForPage,
  frontMatterOf,
  givesName,
  withKnownBases,
  withOwnAuth,
} from './beside-settings.ts';
import type { ImportedCase, ImportedCollection, ImportedPage } from './imported.ts';
import { secretLines, writeCase, writePage, writeSecrets, writeSettings } from './write-pages.ts';

/** A file that an import writes: new, or behind what it holds. */
export interface ImportedFile {
  readonly path: string;
  readonly text: string;
  /** Whether it is there already, and its beginning stays as it is. */
  readonly grows: boolean;
  /** What it holds, in words: `4 cases`. */
  readonly about?: string;
  /** Whether nobody else may read it. */
  readonly secret?: true;
}

/** What is there already. */
export interface Existing {
  readonly collection?: Collection;
  /** The text of a file, by its path. */
  readonly text: (path: string) => string | undefined;
}

export interface ImportedFiles {
  readonly files: readonly ImportedFile[];
  readonly notes: readonly string[];
}

type OfOperation = ImportedCase & { readonly operation?: string };

/** The files of an import. Pages that are there get what they lack at their end; settings that are there stay as they are. */
export function filesOf(
  whole: ImportedCollection,
  { collection, text }: Existing,
  secrets: readonly string[] = [],
): ImportedFiles {
  const settings = text('mervok.yaml');
  const isBeside = settings !== undefined && whole.definition === undefined;
  const imported = isBeside ? besideOthers(whole, settings, path => text(path) !== undefined) : whole;
  const files: ImportedFile[] = [];
  const notes: string[] = [...imported.notes];
  const known = new Set(collection ? requestsIn(collection).map(({ key }) => key) : []);
  for (const page of imported.pages) {
    const path = `${page.slug}.md`;
    const before = text(path);
    const added = page.cases.filter((each: OfOperation) => !known.has(keyOf(each.operation ?? '')));
    if (added.length === 0) continue;
    const cases = settings === undefined ? added : withKnownBases(added, settings);
    for (const [at, { base, title }] of added.entries())
      if (cases[at]!.base !== base)
        notes.push(`'${title}' has a server of its own, which mervok.yaml does not name: ${base}.`);
    const about = counted(cases.length, 'case');
    if (before === undefined) {
      const whole = { ...page, cases };
      const own = settings === undefined ? whole : withOwnAuth(whole, imported.auth, settings);
      files.push({ path, text: soundPage(own), grows: false, about });
    } else {
      const own = casesForPage(page, cases, imported.auth, { settings: settings ?? '', before });
      files.push({ path, text: soundCases(own, before), grows: true, about: `${about} at its end` });
    }
  }
  if (settings === undefined)
    files.unshift({ path: 'mervok.yaml', text: writeSettings(imported), grows: false });
  else if (collection) notes.push(...notHeldTo(imported.definition, collection.root.definition?.file));
  const isSent = (path: string) => files.some(each => each.text.includes(`file "${path}"`));
  for (const { path, text: held = 'This stands for a file to send.\n' } of imported.files ?? [])
    if (isSent(path) && text(path) === undefined) files.push({ path, text: held, grows: false });
  files.push(...secretFile(imported, text('mervok.secret.yaml')));
  if (collection) notes.push(...goneIn(collection, imported));
  return withoutSecrets(files, notes, secrets);
}

/** Settings that are there stay as they are, also where they hold to another definition or to none. */
function notHeldTo(imported: string | undefined, file: string | undefined): string[] {
  if (imported === undefined || imported === file) return [];
  const before = file === undefined ? 'stays as it is' : `still names ${file}`;
  return [`mervok.yaml ${before}; to hold every exchange to this one: definition: ${imported}`];
}

/** What is shorter would be found in everything. */
const shortestSecret = 4;

/** No secret stands in what others read, in whatever form. */
function withoutSecrets(
  files: readonly ImportedFile[],
  notes: readonly string[],
  secrets: readonly string[],
): ImportedFiles {
  const masker = new Masker();
  for (const secret of secrets) if (secret.length >= shortestSecret) masker.addValue(secret, 'lasting');
  if (masker.isEmpty) return { files, notes };
  const more: string[] = [];
  const masked = files.map(file => {
    if (file.secret || !masker.holdsSecret(file.text)) return file;
    more.push(`${file.path} held a secret in another form; [secret] stands in its place.`);
    return { ...file, text: masker.text(file.text) };
  });
  return { files: masked, notes: [...notes, ...more] };
}

function secretFile({ secrets }: ImportedCollection, before: string | undefined): ImportedFile[] {
  const path = 'mervok.secret.yaml';
  const missing = secrets.filter(({ name }) => before === undefined || !givesName(before, name));
  if (missing.length === 0) return [];
  const about = counted(missing.length, 'name');
  if (before === undefined) return [{ path, text: writeSecrets(secrets), grows: false, about, secret: true }];
  const lines = /^variables:[ \t]*$/m.test(before)
    ? secretLines(missing)
    : `variables:\n${secretLines(missing)}`;
  const gap = before === '' || before.endsWith('\n') ? '' : '\n';
  return [{ path, text: before + gap + lines, grows: true, about: `${about} at its end`, secret: true }];
}

/** A page whose cases are those that were meant; where its prose would change that, it has none. */
function soundPage(page: ImportedPage): string {
  for (const each of [page, withoutProse(page)]) {
    const text = writePage(each);
    if (isSound(text, page.cases)) return text;
  }
  return writePage({ ...withoutProse(page), cases: page.cases.map((each, at) => plainCase(each, at)) });
}

/** New cases behind what a page holds. */
function soundCases(cases: readonly ImportedCase[], before: string): string {
  const gap = /\n\r?\n$/.test(before) ? '' : before.endsWith('\n') ? '\n' : '\n\n';
  const lineEnds = (text: string) => (before.includes('\r\n') ? text.replaceAll('\n', '\r\n') : text);
  for (const each of [cases, cases.map(bareCase), cases.map(plainCase)]) {
    const text = before + lineEnds(`${gap}${each.map(writeCase).join('\n\n')}\n`);
    if (isSound(text, cases, before) || each.every(one => /^Case \d+$/.test(one.title))) return text;
  }
  return before;
}

function withoutProse({ description: _, ...page }: ImportedPage): ImportedPage {
  return { ...page, cases: page.cases.map(bareCase) };
}

function bareCase({ description: _, ...each }: ImportedCase): ImportedCase {
  return each;
}

function plainCase({ description: _, example: __, ...each }: ImportedCase, at: number): ImportedCase {
  return { ...each, title: `Case ${at + 1}` };
}

/** Whether a page, read as any other one, has exactly the requests that were meant. */
function isSound(text: string, cases: readonly ImportedCase[], before = ''): boolean {
  const page = readPage(new Source('page.md', text));
  const found = page.cases.flatMap(each =>
    each.steps.filter(({ type }) => type === 'http'),
  ) as WrittenRequest[];
  const earlier =
    before === ''
      ? []
      : readPage(new Source('page.md', before)).cases.flatMap(each =>
          each.steps.filter(({ type }) => type === 'http'),
        );
  const added = found.slice(earlier.length);
  return (
    page.findings.length === 0 &&
    added.length === cases.length &&
    added.every(
      ({ method, targetText }, at) =>
        method === cases[at]!.request.method && targetText === cases[at]!.request.target,
    )
  );
}

interface KnownRequest {
  readonly file: string;
  readonly key: string;
  readonly title: string;
}

/** What the pages of a collection ask for, as the keys of operations. */
function requestsIn({ pages }: Collection): KnownRequest[] {
  return pages.flatMap(({ page }) =>
    page.cases.flatMap(each =>
      each.steps
        .filter(({ type }) => type === 'http')
        .map(step => {
          const { method, targetText } = step as WrittenRequest;
          const title = `${method} ${targetText.replace(/[?#].*$/, '').replace(/\{[?&][^}]*\}$/, '')}`;
          return { file: page.source.file, key: keyOf(title), title };
        }),
    ),
  );
}

/** The same for every name of a parameter. */
function keyOf(operation: string): string {
  return operation.replace(/\{[^{}]*\}/g, '{}').replace(/\/$/, '');
}

/** Pages that speak of operations which the definition does not have. */
function goneIn(collection: Collection, imported: ImportedCollection): string[] {
  const all = imported.pages.flatMap(({ cases }) =>
    cases.map((each: OfOperation) => keyOf(each.operation ?? '')),
  );
  const patterns = all.map(
    key => new RegExp(`^${key.replace(/[\\^$.*+?()[\]|/-]/g, '\\$&').replaceAll('{}', '[^/]+')}$`),
  );
  if (patterns.length === 0 || imported.definition === undefined) return [];
  const byFile = new Map<string, Set<string>>();
  const isElsewhere = new Set(
    collection.pages.flatMap(({ page: { source } }) =>
      /^base:/m.test(frontMatterOf(source.text)) ? [source.file] : [],
    ),
  );
  for (const { file, key, title } of requestsIn(collection)) {
    if (isElsewhere.has(file) || !/^\S+ \//.test(title) || patterns.some(pattern => pattern.test(key)))
      continue;
    byFile.set(file, (byFile.get(file) ?? new Set()).add(title));
  }
  return [...byFile].map(
    ([file, titles]) => `${file} speaks of ${inWords([...titles])}, which the definition does not have.`,
  );
}
