import { namesIn, valueBefore, valueSourcesOf } from '../core/analysis/value-sources.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Plain } from '../core/model/value.ts';
import { inWords } from '../core/text/words.ts';
import { writeJson } from '../core/values/json-document.ts';
import { textOf } from '../core/values/text.ts';
import { clockAndRandom } from '../platform/external-sources.ts';
import { createMeasure, fit, visible, wrap } from '../reports/style.ts';
import { type PlanFlags, type Prepared, preparePlan } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** What a name comes to in an environment; nothing where it is not known before a run. */
interface Known {
  readonly text: string | undefined;
  readonly secret: boolean;
}

/** Sets the variables of two environments side by side: what differs, and what only one of them has. */
export async function compareEnvironments(
  path: string | undefined,
  names: readonly string[],
  flags: PlanFlags,
  terminal: Terminal,
): Promise<void> {
  const [first, second, ...more] = names;
  if (first === undefined || second === undefined || more.length > 0)
    throw new UsageError(
      '--compare takes two environments. For example: mervok vars --compare local staging',
    );
  if (flags.env !== undefined)
    throw new UsageError('--compare names the environments; --env does not go with it.');
  const [a, b] = [await variablesIn(first, path, flags), await variablesIn(second, path, flags)];
  const all = [...new Set([...a.keys(), ...b.keys()])].sort();
  const isSame = (name: string) =>
    a.has(name) && b.has(name) && a.get(name)!.text === b.get(name)!.text && a.get(name)!.text !== undefined;
  const differing = all.filter(name => !isSame(name));
  const same = all.filter(isSame);
  const rows = differing.map(name => [name, shown(a.get(name)), shown(b.get(name))] as const);
  const { out, paint } = terminal;
  const width = Math.min(200, Math.max(60, terminal.width));
  const measure = await createMeasure(rows.flat());
  if (rows.length > 0) {
    const nameColumn = Math.max(...rows.map(([name]) => name.length)) + 2;
    const valueColumn = Math.floor((width - nameColumn) / 2);
    const line = (name: string, left: string, right: string) =>
      `${name.padEnd(nameColumn)}${fit(visible(left), valueColumn - 2, measure)}  ${fit(visible(right), valueColumn - 2, measure)}`.trimEnd();
    out(`${paint('strong', line('', first, second))}\n`);
    for (const [name, left, right] of rows) out(`${line(name, left, right)}\n`);
    out('\n');
  }
  const lacking = (environment: string, known: ReadonlyMap<string, Known>) => {
    const missing = all.filter(name => !known.has(name));
    return missing.length === 0 ? [] : [`${environment} lacks ${inWords(missing)}.`];
  };
  const notes = [
    ...lacking(first, a),
    ...lacking(second, b),
    same.length === 0 ? 'No name has the same value in both.' : `The same in both: ${inWords(same)}.`,
  ];
  for (const note of notes) for (const text of wrap(note, width, measure)) out(`${paint('quiet', text)}\n`);
}

function shown(known: Known | undefined): string {
  if (!known) return 'not there';
  return known.secret ? '[secret]' : (known.text ?? 'not known');
}

async function variablesIn(
  env: string,
  path: string | undefined,
  flags: PlanFlags,
): Promise<Map<string, Known>> {
  const prepared = await preparePlan(path === undefined ? [] : [path], { ...flags, env });
  const known = new Map<string, Known>();
  const asked = new Set(
    prepared.plan.pages.flatMap(page => page.cases.flatMap(each => (each.asked ? [each.address] : []))),
  );
  const users = prepared.flow.collection.pages
    .flatMap(page => page.cases)
    .filter(each => asked.has(each.address));
  // Level by level the same variables are seen; each name is taken where it is first seen.
  const seen = new Set<unknown>();
  for (const user of users) {
    if (seen.has(user.levels)) continue;
    seen.add(user.levels);
    for (const name of namesIn(user, prepared.flow)) {
      const value = known.has(name) ? undefined : valueOfName(name, user, prepared);
      if (value) known.set(name, value);
    }
  }
  return known;
}

function valueOfName(
  name: string,
  user: Parameters<typeof valueSourcesOf>[1],
  { plan, flow, external }: Prepared,
): Known | undefined {
  const source = valueSourcesOf(name, user, flow).find(each => each.definition || plan.given.has(each.name));
  if (!source) return undefined;
  const lookup = (other: string) => valueSourcesOf(other, user, flow)[0]?.definition;
  const value = source.definition
    ? valueBefore(source.definition, lookup, external, clockAndRandom)
    : plan.given.get(name)?.value;
  const text =
    value === undefined
      ? undefined
      : value instanceof Plain
        ? value.text
        : (textOf(value) ?? writeJson(value));
  return { text, secret: plan.secretNames.has(name) };
}
