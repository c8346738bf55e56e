import type { Plan, PlannedCase, PlannedPage } from '../core/analysis/plan.ts';
import { counted, inWords } from '../core/text/words.ts';
import { fit, type Measure, type Paint, visible } from './style.ts';

interface ListView {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** The pages and cases that were asked for, in the order in which they run. */
function askedPages({ pages }: Plan): PlannedPage[] {
  return pages
    .map(page => ({ ...page, cases: page.cases.filter(each => each.asked) }))
    .filter(page => page.cases.length > 0);
}

function checksOf({ steps }: PlannedCase): number {
  return steps.reduce((sum, step) => sum + step.checks, 0);
}

function keptBy({ steps }: PlannedCase): string[] {
  return [
    ...new Set(
      steps.flatMap(({ gives = [] }) => gives.flatMap(({ name, how }) => (how === 'keep' ? [name] : []))),
    ),
  ];
}

/** The tree for people: a line for each case, and what it takes and gives. */
export function listText(plan: Plan, view: ListView): string[] {
  const { paint, measure } = view;
  const width = Math.min(200, Math.max(60, view.width));
  const pages = askedPages(plan);
  const cases = pages.flatMap(page => page.cases);
  const checks = cases.reduce((sum, each) => sum + checksOf(each), 0);
  const totals = [counted(pages.length, 'page'), counted(cases.length, 'case'), counted(checks, 'check')];
  const lines = [`${paint('strong', visible(plan.title))}, ${totals.join(', ')}`];
  const slug = ({ address }: PlannedCase) => address.slice(address.indexOf('#'));
  const slugColumn =
    Math.min(Math.floor(width * 0.4), Math.max(0, ...cases.map(each => measure(slug(each))))) + 2;
  const requestColumn = width - slugColumn - 14;
  for (const page of pages) {
    const rows = page.rows ? `, each row of ${page.rows.name}` : '';
    const about = rows + tagsOf(commonTags(page));
    const title = visible(page.title);
    const rest = fit(page.file + about, Math.max(20, width - measure(title) - 2), measure).trimEnd();
    lines.push('', `${paint('strong', title)}  ${paint('quiet', rest)}`);
    for (const each of page.cases) {
      const request = fit(visible(each.request ?? ''), requestColumn, measure);
      const figure = counted(checksOf(each), 'check').padStart(10);
      lines.push(
        `  ${fit(slug(each), slugColumn - 2, measure)}  ${request}${paint('quiet', figure)}`.trimEnd(),
      );
      const more = aboutCase(each, commonTags(page));
      if (more !== '') lines.push(`    ${paint('quiet', fit(more, width - 4, measure).trimEnd())}`);
    }
  }
  return lines;
}

/** Tags that all cases of a page have stand with the page. */
function commonTags({ cases }: PlannedPage): string[] {
  return cases[0]?.tags.filter(tag => cases.every(each => each.tags.includes(tag))) ?? [];
}

function tagsOf(tags: readonly string[]): string {
  return tags.length === 0 ? '' : `, ${tags.length === 1 ? 'tag' : 'tags'} ${tags.join(', ')}`;
}

function aboutCase(each: PlannedCase, common: readonly string[]): string {
  const { needs, after, tags, cleanup, internal } = each;
  const kept = keptBy(each);
  const own = tags.filter(tag => !common.includes(tag));
  return [
    ...(needs.length > 0 ? [`needs ${inWords(needs.map(({ name }) => name))}`] : []),
    ...(after.length > 0 ? [`after ${inWords(after)}`] : []),
    ...(kept.length > 0 ? [`keeps ${inWords(kept)}`] : []),
    ...(each.each ? [each.each.text] : []),
    ...(cleanup ? ['cleans up'] : []),
    ...(internal ? ['internal'] : []),
    ...(own.length > 0 ? [tagsOf(own).slice(2)] : []),
  ].join('; ');
}

/** The same for programs. */
export function listJson(plan: Plan) {
  return {
    format: 'mervok-list',
    version: 1,
    title: plan.title,
    pages: askedPages(plan).map(page => ({
      file: page.file,
      title: page.title,
      after: page.sources,
      rows: page.rows?.name,
      cases: page.cases.map(each => ({
        case: each.address,
        title: each.title,
        line: each.place.line,
        requests: each.steps.flatMap(({ operation }) => operation ?? []),
        request: each.request,
        tags: each.tags,
        needs: each.needs.map(({ name, producers }) => ({ name, from: producers })),
        after: each.after,
        keeps: keptBy(each),
        checks: checksOf(each),
        each: each.each?.text,
        cleanup: each.cleanup || undefined,
        internal: each.internal || undefined,
      })),
    })),
  };
}
