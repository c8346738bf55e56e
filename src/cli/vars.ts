import type { CollectionCase } from '../core/analysis/collection.ts';
import type { Flow } from '../core/analysis/flow.ts';
import { namesIn, type ValueSource, valueBefore, valueSourcesOf } from '../core/analysis/value-sources.ts';
import type { Code, Finding } from '../core/model/finding.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { addKnownSecrets } from '../core/runner/known-secrets.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { NamedValues } from '../core/secrecy/named-values.ts';
import { counted } from '../core/text/words.ts';
import { clockAndRandom } from '../platform/external-sources.ts';
import { type NamedValue, namedLines } from '../reports/name-lines.ts';
import { createMeasure, visible } from '../reports/style.ts';
import { compareEnvironments } from './compare-environments.ts';
import { exitCodes } from './exit.ts';
import { type PlanFlags, type Prepared, preparePlan, printFindings } from './prepare.ts';
import { placeText, sourceText, valueText } from './show.ts';
import type { Terminal } from './terminal.ts';

/** Every variable: of a case, those that it can see; else those of the whole collection, level by level. */
export async function varsCommand(
  path: string | undefined,
  { compare, ...flags }: PlanFlags & { readonly compare?: readonly string[] },
  terminal: Terminal,
): Promise<void> {
  if (compare) {
    await compareEnvironments(path, compare, flags, terminal);
    return;
  }
  const { plan, flow, findings, external } = await preparePlan(path === undefined ? [] : [path], flags);
  await tellSlips(findings, terminal);
  const masker = new Masker();
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), external);
  const asked = plan.pages.flatMap(page => page.cases).filter(each => each.asked);
  const all = flow.collection.pages.flatMap(page => page.cases);
  const users = all.filter(each => asked.some(({ address }) => address === each.address));
  if (users.length === 0) throw new UsageError('There is no case here that could use a variable.');
  const tellValue = (source: ValueSource, user: CollectionCase) =>
    masked(source, user, { plan, flow, external }, masker);
  const about = plan.environment === undefined ? '' : `, environment ${plan.environment}`;
  const isCase = path?.includes('#') === true;
  const title = isCase ? users[0]!.address : plan.title;
  const sections = isCase ? [ofCase(users[0]!, flow, tellValue)] : ofCollection(users, flow, tellValue);
  const rows = sections.flatMap(section => section.rows);
  if (rows.length === 0) {
    terminal.out('There are no variables here.\n');
    return;
  }
  const { out, paint } = terminal;
  const heading = `${paint('strong', visible(title))}${about}, ${counted(rows.length, 'name')}`;
  const known = environmentsIn(flow, plan.environment);
  const lines = known === undefined ? [heading] : [heading, paint('quiet', visible(known))];
  out(`${[...lines, ...(await tableLines(sections, terminal))].join('\n')}\n`);
}

/** `environments: local (chosen), staging; @NAME chooses one`; nothing where there is none. */
function environmentsIn(
  { collection: { root, secrets } }: Flow,
  chosen: string | undefined,
): string | undefined {
  const names = new Set([...(root.environments?.keys() ?? []), ...(secrets?.environments?.keys() ?? [])]);
  if (names.size === 0) return undefined;
  const told = [...names].map(name => (name === chosen ? `${name} (chosen)` : name));
  return `environments: ${told.join(', ')}; @NAME chooses one`;
}

/** What keeps settings from being read keeps variables from being seen; errors of pages are told by others. */
const ofSettings: readonly Code[] = ['yaml-form', 'setting-form', 'setting-unknown', 'environment-unknown'];

async function tellSlips(findings: readonly Finding[], terminal: Terminal): Promise<void> {
  const slips = findings.filter(each => ofSettings.includes(each.code));
  if (slips.length === 0) return;
  await printFindings(slips, terminal);
  process.exitCode = exitCodes.nothingSent;
}

interface Section {
  readonly title?: string;
  readonly rows: readonly NamedValue[];
}

const keptTitle = 'kept and computed';

type TellValue = (source: ValueSource, user: CollectionCase) => string;

function ofCase(user: CollectionCase, flow: Flow, tellValue: TellValue): Section {
  return {
    rows: namesIn(user, flow).map(name => {
      const [counts, ...hidden] = valueSourcesOf(name, user, flow);
      return {
        name,
        value: tellValue(counts!, user),
        from: sourceText(counts!),
        hides: hidden.map(sourceText),
      };
    }),
  };
}

/** Level by level, each name where it is given; with what it hides for the cases that see it. */
function ofCollection(users: readonly CollectionCase[], flow: Flow, tellValue: TellValue): Section[] {
  const sections = new Map<string, Map<string, NamedValue>>();
  for (const user of users) {
    for (const name of namesIn(user, flow)) {
      const sources = valueSourcesOf(name, user, flow);
      for (const [index, source] of sources.entries()) {
        const title =
          source.definition || source.byRows || !source.place
            ? source.origin.replace(/^from /, '')
            : keptTitle;
        const rows = sections.get(title) ?? new Map<string, NamedValue>();
        sections.set(title, rows);
        const key = `${name} ${sourceText(source)}`;
        if (rows.has(key)) continue;
        const hides = sources.slice(index + 1).map(sourceText);
        const from =
          (source.definition || source.byRows) && source.place ? placeText(source.place) : sourceText(source);
        rows.set(key, { name, value: tellValue(source, user), from, hides });
      }
    }
  }
  return [...sections]
    .sort(([a], [b]) => strength(a) - strength(b))
    .map(([title, rows]) => ({
      title,
      rows: [...rows.values()].sort((a, b) => (a.name < b.name ? -1 : 1)),
    }));
}

/** The place of a level in the order from strong to weak. */
function strength(title: string): number {
  const levels = [
    keptTitle,
    'a column',
    'an item',
    'given by',
    'the settings of',
    'the front matter',
    'environment',
    'mervok.secret',
  ];
  const at = levels.findIndex(level => title.startsWith(level));
  return at < 0 ? levels.length : at;
}

function masked(
  source: ValueSource,
  user: CollectionCase,
  { plan, flow, external }: Pick<Prepared, 'plan' | 'flow' | 'external'>,
  masker: Masker,
): string {
  const os = source.definition?.os;
  if (os !== undefined && external.variable(os) === undefined) return `${os} is not set`;
  if (plan.secretNames.has(source.name)) return '[secret]';
  if (source.byRows) return 'another for each row';
  if (!source.definition) {
    const given = source.place ? undefined : plan.given.get(source.name);
    return given === undefined ? 'known once it has run' : masker.text(valueText(given.value));
  }
  const lookup = (name: string) => valueSourcesOf(name, user, flow)[0]?.definition;
  const value = valueBefore(source.definition, lookup, external, clockAndRandom);
  return value === undefined ? 'not known' : masker.text(valueText(value));
}

async function tableLines(sections: readonly Section[], { paint, width }: Terminal): Promise<string[]> {
  const rows = sections.flatMap(section => section.rows);
  const measure = await createMeasure(rows.flatMap(row => [row.value, row.from]));
  // All sections share their columns.
  const lines = namedLines(rows, { paint, measure, width });
  return sections.flatMap(({ title, rows: own }) => [
    '',
    ...(title === undefined ? [] : [paint('strong', title)]),
    ...lines.splice(0, own.length).flat(),
  ]);
}
