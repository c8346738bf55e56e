import { slug } from 'github-slugger';
import { type Finding, finding } from '../model/finding.ts';
import { Excerpt, Source } from '../model/source.ts';
import type { Page, PageCase } from '../pages/page.ts';
import { readPage } from '../pages/read-page.ts';
import { readChecks } from '../pages/statements.ts';
import type { Effective } from '../settings/effective.ts';
import { emptyLevel, type Level } from '../settings/level.ts';
import { loadReadLevel, type ReadLevel } from '../settings/level-reader.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { operationKinds } from '../steps/kinds.ts';
import { PageOrder } from './page-order.ts';

/** The texts of a collection, as they were found. Paths are relative to its root, with '/'. */
export interface CollectionFiles {
  /** The mervok.yaml files; the one at the root is 'mervok.yaml'. */
  readonly settings: readonly { readonly path: string; readonly text: string }[];
  readonly secrets?: { readonly path: string; readonly text: string };
  readonly pages: readonly {
    readonly path: string;
    readonly text: string;
    /** Why the page cannot be read, as a sentence; it then has no text. */
    readonly unreadable?: string;
  }[];
}

export interface Collection {
  readonly root: Level;
  readonly secrets?: Level;
  /** In the order that the settings give, else of their names. */
  readonly pages: readonly CollectionPage[];
  readonly order: PageOrder;
  /** Settings of the collection and of the folders around a page, outermost first; by its path. */
  levelsAbove(path: string): readonly Level[];
  /** What is wrong with the settings of the collection and its folders. */
  readonly findings: readonly Finding[];
}

export interface CollectionPage {
  readonly page: Page;
  readonly title: string;
  /** Settings of the collection, its folders and the page, outermost first. */
  readonly levels: readonly Level[];
  readonly cases: readonly CollectionCase[];
  /** The table that the page runs once for each row of. */
  readonly rows?: NonNullable<Effective['rows']>;
  readonly findings: readonly Finding[];
}

export interface CollectionCase {
  readonly page: CollectionPage;
  readonly written: PageCase;
  readonly address: string;
  /** Those of the page, and its own. */
  readonly levels: readonly Level[];
}

/** Reads the settings and pages of a collection. */
export async function readCollection(files: CollectionFiles): Promise<Collection> {
  await loadReaders(files.pages.map(({ text }) => text));
  const pages = files.pages.map(({ path, text, unreadable }) => {
    const page = readPage(new Source(path, text));
    return unreadable === undefined ? page : { ...page, findings: [unreadablePage(page, unreadable)] };
  });
  return collect(files, pages);
}

/** What reads the fences that stand in these texts. */
async function loadReaders(texts: readonly string[]): Promise<void> {
  for (const { fence, loadReader } of operationKinds) {
    const words = new RegExp(fence.replace(' ', '\\s+'));
    if (loadReader && texts.some(text => words.test(text))) await loadReader();
  }
}

/** Puts pages that are read already below the settings of a collection. */
export async function collect(
  files: Omit<CollectionFiles, 'pages'>,
  pages: readonly Page[],
): Promise<Collection> {
  const findings: Finding[] = [];
  const readLevel = await readerFor(files, pages);
  const readFile = (path: string, text: string, kind: 'root' | 'folder' | 'secrets') => {
    const source = new Source(path, text);
    const read = readLevel(new Excerpt(source, source.text, 1), path, kind);
    findings.push(...read.findings);
    return read.level;
  };
  const levels = new Map(
    files.settings.map(({ path, text }) => [
      path,
      readFile(path, text, path === 'mervok.yaml' ? 'root' : 'folder'),
    ]),
  );
  const root = levels.get('mervok.yaml') ?? emptyLevel('mervok.yaml', new Source('mervok.yaml', ''));
  const secrets = files.secrets && readFile(files.secrets.path, files.secrets.text, 'secrets');
  const order = new PageOrder(
    levels.values(),
    pages.map(page => page.source.file),
  );
  findings.push(...order.findings);
  const levelsAbove = (path: string) => [
    root,
    ...foldersAbove(path).flatMap(folder => levels.get(`${folder}/mervok.yaml`) ?? []),
  ];
  const collected = pages
    .toSorted((a, b) => order.compare(a.source.file, b.source.file))
    .map(page => withSettings(page, levelsAbove(page.source.file), readLevel));
  return { root, ...(secrets && { secrets }), pages: collected, levelsAbove, order, findings };
}

function unreadablePage({ source }: Page, reason: string): Finding {
  const range = { start: 0, end: 0 };
  return finding('page-unreadable', { source, range }, `This page cannot be read: ${reason}`);
}

/** What reads YAML is loaded only where there is any. */
async function readerFor(files: Omit<CollectionFiles, 'pages'>, pages: readonly Page[]): Promise<ReadLevel> {
  const inPages = pages.some(page => page.frontMatter || page.cases.some(each => each.settings));
  if (files.settings.length > 0 || files.secrets || inPages) return loadReadLevel(readChecks);
  return excerpt => ({ level: emptyLevel('', excerpt.source), findings: [] });
}

function withSettings(page: Page, outer: readonly Level[], readLevel: ReadLevel): CollectionPage {
  const { source } = page;
  const findings = [...page.findings];
  const front = page.frontMatter && readLevel(page.frontMatter, `the front matter of ${source.file}`, 'page');
  if (front) findings.push(...front.findings);
  const levels = front ? [...outer, front.level] : outer;
  const cases: CollectionCase[] = [];
  const { rows } = mergeLevels(levels);
  const title = front?.level.title ?? page.title;
  const result: CollectionPage = { page, title, levels, cases, ...(rows && { rows }), findings };
  for (const written of page.cases) {
    const own = written.settings && readLevel(written.settings, `the settings of ${written.address}`, 'case');
    if (own) findings.push(...own.findings);
    cases.push({
      page: result,
      written,
      address: written.address,
      levels: own ? [...levels, own.level] : levels,
    });
    // As Git hosts do it, a heading that reads like one above gets a number.
    if (written.slug !== slug(written.title))
      findings.push(
        finding(
          'case-address',
          { source, range: written.range },
          `Another heading above reads the same, so the address ${written.address} hangs on their order.`,
          'Give one of them another heading.',
        ),
      );
  }
  return result;
}

function foldersAbove(path: string): string[] {
  const parts = path.split('/').slice(0, -1);
  return parts.map((_, index) => parts.slice(0, index + 1).join('/'));
}
