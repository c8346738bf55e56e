import type { Page, PageCase } from '../page/page.ts';
import { readPage } from '../page/read.ts';
import { emptyLevel, type Level } from '../settings/level.ts';
import { loadReadLevel, type ReadLevel } from '../settings/read.ts';
import { type Finding, finding } from '../text/finding.ts';
import { Excerpt, Source } from '../text/source.ts';

/** The texts of a collection, as they were found. Paths are relative to its root, with '/'. */
export interface CollectionFiles {
  /** The mervok.yaml files; the one at the root is 'mervok.yaml'. */
  readonly settings: readonly { readonly path: string; readonly text: string }[];
  readonly secrets?: { readonly path: string; readonly text: string };
  readonly pages: readonly { readonly path: string; readonly text: string }[];
}

export interface Collection {
  readonly root: Level;
  readonly secrets?: Level;
  /** In the order of their names. */
  readonly pages: readonly CollectionPage[];
  /** What is wrong with the settings of the collection and its folders. */
  readonly findings: readonly Finding[];
}

export interface CollectionPage {
  readonly page: Page;
  readonly title: string;
  /** Settings of the collection, its folders and the page, outermost first. */
  readonly levels: readonly Level[];
  readonly cases: readonly CollectionCase[];
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
  const findings: Finding[] = [];
  const pages = files.pages
    .toSorted((a, b) => compareNames(a.path, b.path))
    .map(({ path, text }) => readPage(new Source(path, text)));
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
  const collected = pages.map(page => {
    const folders = foldersAbove(page.source.file).flatMap(
      folder => levels.get(`${folder}/mervok.yaml`) ?? [],
    );
    return withSettings(page, [root, ...folders], readLevel);
  });
  return { root, ...(secrets && { secrets }), pages: collected, findings };
}

/** What reads YAML is loaded only where there is any. */
async function readerFor(files: CollectionFiles, pages: readonly Page[]): Promise<ReadLevel> {
  const inPages = pages.some(page => page.frontMatter || page.cases.some(each => each.settings));
  if (files.settings.length > 0 || files.secrets || inPages) return loadReadLevel();
  return excerpt => ({ level: emptyLevel('', excerpt.source), findings: [] });
}

function withSettings(page: Page, outer: Level[], readLevel: ReadLevel): CollectionPage {
  const { source } = page;
  const findings = [...page.findings];
  const front = page.frontMatter && readLevel(page.frontMatter, `the front matter of ${source.file}`, 'page');
  if (front) findings.push(...front.findings);
  const levels = front ? [...outer, front.level] : outer;
  const cases: CollectionCase[] = [];
  const result: CollectionPage = { page, title: front?.level.title ?? page.title, levels, cases, findings };
  const seen = new Map<string, PageCase>();
  for (const written of page.cases) {
    const own = written.settings && readLevel(written.settings, `the settings of ${written.address}`, 'case');
    if (own) findings.push(...own.findings);
    cases.push({
      page: result,
      written,
      address: written.address,
      levels: own ? [...levels, own.level] : levels,
    });
    if (seen.has(written.slug))
      findings.push(
        finding(
          'case-address',
          source,
          written.range,
          `Another case has the address ${written.address} too.`,
          'Give one of them another heading.',
        ),
      );
    seen.set(written.slug, written);
  }
  return result;
}

function foldersAbove(path: string): string[] {
  const parts = path.split('/').slice(0, -1);
  return parts.map((_, index) => parts.slice(0, index + 1).join('/'));
}

/** By name, numbers in it as numbers: tide-9.md before tide-10.md. */
export function compareNames(a: string, b: string): number {
  const [x, y] = [a.split(/(\d+|\/)/), b.split(/(\d+|\/)/)];
  for (let at = 0; at < Math.min(x.length, y.length); at++) {
    const [p, q] = [x[at]!, y[at]!];
    const bothNumbers = /^\d/.test(p) && /^\d/.test(q);
    const order = bothNumbers ? Number(p) - Number(q) : p < q ? -1 : p > q ? 1 : 0;
    if (order !== 0) return order;
  }
  return x.length - y.length;
}
