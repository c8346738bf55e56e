import type { CollectionCase, CollectionPage } from '../core/analysis/collection.ts';
import type { Flow } from '../core/analysis/flow.ts';
import type { Plan } from '../core/analysis/plan.ts';
import { secretsInCase } from '../core/analysis/written-secrets.ts';
import type { Outcome } from '../core/model/outcomes.ts';
import { Source } from '../core/model/source.ts';
import type { Page } from '../core/pages/page.ts';
import { withoutWritten } from '../core/secrecy/shown-finding.ts';
import { mergeLevels } from '../core/settings/merge-levels.ts';
import type { VariableDefinition } from '../core/settings/variable-definition.ts';
import type { WrittenStep } from '../core/steps/step.ts';

/** A page of the site. */
export interface SitePage {
  readonly page: CollectionPage;
  /** As it is written, but for secrets. */
  readonly source: Source;
  /** From the root of the collection. */
  readonly file: string;
  /** From the root of the site, with '/'. */
  readonly path: string;
  readonly title: string;
  readonly cases: readonly SiteCase[];
  /** Cases that are left out: those that only help, and those that clean up. */
  readonly hidden: readonly CollectionCase[];
}

/** Pages that lie in one folder. */
export interface Folder {
  /** From the root of the collection; empty for that itself. */
  readonly path: string;
  readonly pages: readonly SitePage[];
}

export interface SiteCase {
  readonly own: CollectionCase;
  readonly title: string;
  readonly slug: string;
  /** Of its page, from the root of the site. */
  readonly path: string;
  /** Names that it takes from other cases, and from where; of cases that are left out nothing is told. */
  readonly takes: readonly { readonly name: string; readonly from: string }[];
  /** Names that it gives, and the cases that take them. */
  readonly gives: readonly { readonly name: string; readonly to: readonly string[] }[];
  /** Its requests as they are written: `GET /berths`. */
  readonly requests: readonly string[];
}

/** What a run says of cases, by their addresses. */
export type Outcomes = ReadonlyMap<string, CaseOutcome>;

export interface CaseOutcome {
  readonly outcome: Outcome;
  readonly answers: readonly RecordedAnswer[];
}

/** What came of a request in a run, for where a page has no example. */
export interface RecordedAnswer {
  /** The line of the request. */
  readonly line: number;
  readonly text: string;
}

/** A collection as a site shows it. */
export interface SiteModel {
  readonly title: string;
  /** Of the page that lists all others, from the root of the site. */
  readonly index: string;
  readonly pages: readonly SitePage[];
  readonly folders: readonly Folder[];
  readonly flow: Flow;
  readonly plan: Plan;
  readonly byAddress: ReadonlyMap<string, SiteCase>;
  /** Values that pages take from settings, by their names; of a secret only that it is one, and none of environments. */
  readonly values: ReadonlyMap<string, { readonly value: string; readonly file: string }>;
}

/** What a site is made of. */
export interface SiteSource {
  readonly plan: Plan;
  readonly flow: Flow;
  /** The pages that were asked for, those without cases too. */
  readonly named: ReadonlySet<CollectionPage>;
}

/** @param mask takes out of a text what is known to be a secret */
export function siteModel(
  { plan, flow, named }: SiteSource,
  title: string,
  mask: (text: string) => string,
): SiteModel {
  const chosen = new Set(plan.pages.flatMap(({ cases }) => cases.map(({ address }) => address)));
  const files = new Set(plan.pages.map(({ file }) => file));
  const shown = flow.collection.pages.filter(
    page => (named.has(page) || files.has(page.page.source.file)) && !mergeLevels(page.levels).internal,
  );
  const hidden = new Set(
    shown
      .flatMap(page => page.cases)
      .filter(
        ({ address, written, levels }) =>
          written.cleanup ||
          mergeLevels(levels).internal ||
          // What has settings alone is prose.
          (written.steps.length > 0 && !chosen.has(address)),
      ),
  );
  const cases = new Map(
    shown
      .flatMap(page => page.cases.filter(each => chosen.has(each.address) && !hidden.has(each)))
      .map(each => [each.address, each]),
  );
  const users = usersOf(cases.values(), flow);
  const pages = shown.map(page => sitePage(page, { cases, hidden, users, flow, mask }));
  return {
    title: mask(title),
    index: indexBeside(pages),
    pages,
    folders: foldersOf(pages),
    flow,
    plan,
    values: valuesOf(plan, flow, pages, mask),
    byAddress: new Map(pages.flatMap(page => page.cases).map(each => [each.own.address, each])),
  };
}

/** A page of the collection that is called so has its place, also where upper and lower case are one. */
function indexBeside(pages: readonly SitePage[]): string {
  const taken = new Set(pages.map(({ path }) => path.toLowerCase()));
  let path = 'index.html';
  for (let number = 1; taken.has(path); number++) path = `contents${number === 1 ? '' : `-${number}`}.html`;
  return path;
}

function foldersOf(pages: readonly SitePage[]): Folder[] {
  const folders = new Map<string, SitePage[]>();
  for (const page of pages) {
    const path = page.file.includes('/') ? page.file.replace(/\/[^/]*$/, '') : '';
    const known = folders.get(path);
    if (known) known.push(page);
    else folders.set(path, [page]);
  }
  return [...folders].map(([path, own]) => ({ path, pages: own }));
}

function valuesOf(
  plan: Plan,
  flow: Flow,
  pages: readonly SitePage[],
  mask: (text: string) => string,
): SiteModel['values'] {
  const ofEnvironment = new Set(flow.environment.values());
  const values = new Map<string, { value: string; file: string }>();
  const definitions = pages
    .flatMap(({ cases }) => cases)
    .flatMap(({ own }) => flow.boundUses(own))
    .flatMap(({ binding }) => (binding?.from === 'variable' ? [binding.definition] : []));
  for (const definition of definitions) {
    const { name, source, secret } = definition;
    if (ofEnvironment.has(definition) || name.includes(' ') || values.has(name)) continue;
    const isSecret = secret || plan.secretNames.has(name);
    values.set(name, {
      value: isSecret ? 'secret' : mask(inWordsOf(definition)),
      file: isSecret ? '' : source.file,
    });
  }
  return new Map([...values].sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** A value that is written out, else where it comes from. */
function inWordsOf({ literal, os, file }: VariableDefinition): string {
  if (literal !== undefined) return literal;
  if (os !== undefined) return 'from the environment of the process';
  return file === undefined ? 'computed' : 'in a file';
}

/** The cases that take a name from a case, by its address and the name. */
function usersOf(cases: Iterable<CollectionCase>, flow: Flow): Map<string, Set<string>> {
  const users = new Map<string, Set<string>>();
  for (const user of cases)
    for (const { name, from } of takenBy(user, flow)) {
      const key = `${from} ${name}`;
      const known = users.get(key) ?? new Set<string>();
      users.set(key, known.add(user.address));
    }
  return users;
}

function takenBy(user: CollectionCase, flow: Flow): { name: string; from: string }[] {
  const taken = new Map<string, string>();
  for (const { use, binding } of flow.boundUses(user)) {
    if (binding?.from === 'page' && binding.producer !== user) taken.set(use.name, binding.producer.address);
    if (binding?.from === 'other-page') taken.set(use.name, binding.producers[0]!.address);
  }
  return [...taken].map(([name, from]) => ({ name, from }));
}

interface Surroundings {
  /** Those that are shown, by their addresses. */
  readonly cases: ReadonlyMap<string, CollectionCase>;
  readonly hidden: ReadonlySet<CollectionCase>;
  readonly users: ReadonlyMap<string, ReadonlySet<string>>;
  readonly flow: Flow;
  readonly mask: (text: string) => string;
}

function sitePage(page: CollectionPage, { cases, hidden, users, flow, mask }: Surroundings): SitePage {
  const { file } = page.page.source;
  const path = pathOf(file);
  const own = page.cases.filter(each => cases.has(each.address));
  return {
    page,
    source: new Source(file, mask(withoutSecrets(page.page))),
    file,
    path,
    title: mask(page.title),
    cases: own.map(each => ({
      own: each,
      title: mask(each.written.title),
      slug: each.written.slug,
      path,
      takes: takenBy(each, flow).filter(({ from }) => cases.has(from)),
      gives: givenBy(each, users, flow),
      requests: requestsIn(each.written.steps).map(mask),
    })),
    hidden: page.cases.filter(each => hidden.has(each)),
  };
}

/** What is written out and looks like a secret is warned of, and still nobody's business. */
function withoutSecrets({ source, cases }: Page): string {
  const findings = cases.flatMap(each => secretsInCase(each, source));
  if (findings.length === 0) return source.text;
  const lines = source.text.split('\n');
  for (const { range } of findings)
    lines[source.position(range.start).line - 1] = withoutWritten(source, range);
  return lines.join('\n');
}

/** What is kept, and what is computed where other cases take it. */
function givenBy(
  each: CollectionCase,
  users: ReadonlyMap<string, ReadonlySet<string>>,
  flow: Flow,
): SiteCase['gives'] {
  const given = new Map<string, readonly string[]>();
  for (const { name, how } of flow.namesOf(each).products) {
    const to = [...(users.get(`${each.address} ${name}`) ?? [])];
    if (how === 'keep' || to.length > 0) given.set(name, to);
  }
  return [...given].map(([name, to]) => ({ name, to }));
}

/** `README.md` of a folder is a page like any other. Of another ending the name stays whole: `a.md` may lie beside `a.MD`. */
function pathOf(file: string): string {
  return file.endsWith('.md') ? file.replace(/\.md$/, '.html') : `${file}.html`;
}

function requestsIn(steps: readonly WrittenStep[]): string[] {
  return steps.flatMap(step => {
    const { method, targetText } = step as { method?: string; targetText?: string };
    return method === undefined ? [] : [`${method} ${targetText}`];
  });
}

/** What leads from one page of the site to another, or to a place in it. */
export function linkBetween(from: string, to: string, place = ''): string {
  const depth = from.split('/').length - 1;
  const way = '../'.repeat(depth) + to.split('/').map(encodeURIComponent).join('/');
  return place === '' ? way : `${way}#${encodeURIComponent(place)}`;
}
