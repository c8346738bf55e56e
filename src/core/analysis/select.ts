import { UsageError } from '../model/usage-error.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { counted, inWords, nearest } from '../text/words.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import { type Shard, shareOf, type TakenShard } from './shard.ts';

/** What the command line chooses. Paths (a folder, a page, a case) are relative to the root of the collection. */
export interface Choice {
  /** None for the whole collection. */
  readonly paths: readonly string[];
  readonly without?: readonly string[];
  /** One of them is enough. */
  readonly tags?: readonly string[];
  readonly notTags?: readonly string[];
  /** Addresses of cases; only these. */
  readonly among?: ReadonlySet<string>;
  readonly shard?: Shard;
}

export interface Selection {
  readonly pages: ReadonlySet<CollectionPage>;
  readonly cases: ReadonlySet<CollectionCase>;
  /** What must not run. */
  readonly leftOut: ReadonlySet<CollectionCase>;
  readonly shard?: TakenShard;
}

/** The pages and cases that are chosen. Throws UsageError. */
export function select(collection: Collection, choice: Choice): Selection {
  const { paths, without = [], tags = [], notTags = [], among, shard } = choice;
  const wanted =
    paths.length === 0 ? [{ pages: collection.pages }] : paths.map(path => selectPath(collection, path));
  const leftOut = new Set(without.flatMap(path => casesOf(selectPath(collection, path))));
  const all = [...new Set(wanted.flatMap(casesOf))];
  if (tags.length + notTags.length > 0) refuseUnknownTags(collection, [...tags, ...notTags]);
  const chosen = all.filter(
    each =>
      !leftOut.has(each) &&
      (tags.length === 0 || tags.some(tag => hasTag(each, tag))) &&
      !notTags.some(tag => hasTag(each, tag)) &&
      (among === undefined || among.has(each.address)),
  );
  const share = shard && shareOf(chosen, shard);
  const cases = new Set(share?.cases ?? chosen);
  if (cases.size === 0 && all.length > 0) throw new UsageError(whyNone(choice, chosen));
  // A page that was named counts also where no case of it could be read.
  const whole = cases.size === all.length;
  const pages = new Set(whole ? wanted.flatMap(each => each.pages) : [...cases].map(each => each.page));
  return { pages, cases, leftOut, ...(share && { shard: share.shard }) };
}

interface Named {
  readonly pages: readonly CollectionPage[];
  readonly cases?: readonly CollectionCase[];
}

function casesOf({ pages, cases }: Named): readonly CollectionCase[] {
  return cases ?? pages.flatMap(page => page.cases);
}

export function hasTag({ levels }: CollectionCase, tag: string): boolean {
  return mergeLevels(levels).tags.includes(tag);
}

function refuseUnknownTags({ pages }: Collection, tags: readonly string[]): void {
  const known = new Set(
    pages.flatMap(page => page.cases.flatMap(each => [...mergeLevels(each.levels).tags])),
  );
  const unknown = tags.find(tag => !known.has(tag));
  if (unknown === undefined) return;
  const there = known.size > 0 ? `There are ${inWords([...known].sort())}.` : 'There are no tags here.';
  throw new UsageError(withNearest(`No case has the tag '${unknown}'.`, unknown, [...known], there));
}

function whyNone(
  { tags = [], notTags = [], without = [], among, shard }: Choice,
  chosen: readonly CollectionCase[],
): string {
  if (shard && chosen.length > 0) {
    const pages = new Set(chosen.map(each => each.page)).size;
    return `Shard ${shard.index} of ${shard.of} is empty: there ${pages === 1 ? 'is' : 'are'} ${counted(pages, 'page')} to share out, whole pages each.`;
  }
  const narrowed = [
    ...(tags.length > 0 ? ['--tag'] : []),
    ...(notTags.length > 0 ? ['--not-tag'] : []),
    ...(without.length > 0 ? ['--without'] : []),
    ...(among ? ['--failed'] : []),
  ];
  return `Nothing is left to run: no case answers to ${narrowed.length > 1 ? 'all of ' : ''}${inWords(narrowed)}.`;
}

/** What `--without` leaves out must not be needed by what runs. Throws UsageError. */
export function refuseNeededOnes(
  cases: ReadonlySet<CollectionCase>,
  leftOut: ReadonlySet<CollectionCase>,
  producersFor: (user: CollectionCase) => readonly CollectionCase[],
): void {
  for (const user of cases) {
    const missing = producersFor(user).find(producer => leftOut.has(producer));
    if (missing && !leftOut.has(user))
      throw new UsageError(
        `${missing.address} is left out, but ${user.address} needs it. Leave both out, or none.`,
      );
  }
}

function selectPath(collection: Collection, path: string): Named {
  const [file = '', slug] = path.split('#') as [string, string?];
  const folder = file === '' ? '' : `${file}/`;
  const pages = collection.pages.filter(
    page => page.page.source.file === file || page.page.source.file.startsWith(folder),
  );
  if (pages.length === 0)
    throw new UsageError(
      withNearest(
        `There is no page or folder '${file}'.`,
        file,
        collection.pages.map(page => page.page.source.file),
      ),
    );
  if (slug === undefined) return { pages };
  const all = pages.flatMap(page => page.cases);
  const cases = all.filter(each => each.written.slug === slug);
  if (cases.length === 0) {
    throw new UsageError(
      withNearest(
        `There is no case '${slug}' in ${file}.`,
        slug,
        all.map(each => each.written.slug),
        caseAlike(slug, all),
      ),
    );
  }
  return { pages, cases };
}

/** The one case whose heading holds what was written, or else what there is. */
function caseAlike(slug: string, cases: readonly { readonly written: { readonly slug: string } }[]): string {
  const slugs = [...new Set(cases.map(each => each.written.slug))];
  const words = slug.toLowerCase().replace(/[^\p{L}\p{N}_-]+/gu, '-');
  const alike = slugs.filter(each => each.includes(words));
  if (alike.length === 1) return `Did you mean '${alike[0]}'?`;
  const named = (alike.length > 0 ? alike : slugs).slice(0, mostNamed);
  return `There ${named.length === 1 ? 'is' : 'are'} ${inWords(named.length < slugs.length ? [...named, 'others'] : named)}.`;
}

/** So many cases are named where none is near. */
const mostNamed = 5;

function withNearest(message: string, word: string, known: string[], otherwise = ''): string {
  const meant = nearest(word, known);
  return `${message} ${meant === undefined ? otherwise : `Did you mean '${meant}'?`}`.trim();
}
