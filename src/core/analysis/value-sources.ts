import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { type Place, placeOf } from '../model/place.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { CollectionCase } from './collection.ts';
import type { Flow } from './flow.ts';

/** One of the things that give a name a value. */
export interface ValueSource {
  readonly name: string;
  /** In words: `given by --set`, `kept in sign-in.md#sign-in`, `from environment local`. */
  readonly origin: string;
  readonly place?: Place;
  /** Where it is a variable, whose value can be told before the run. */
  readonly definition?: VariableDefinition;
  /** Whether each row of a table, or item of a list, gives another one. */
  readonly byRows?: true;
}

/** Everything that gives a name a value in a case, from strong to weak; the first one counts. */
export function valueSourcesOf(name: string, user: CollectionCase, flow: Flow): ValueSource[] {
  const own = flow.earlierOnPage({ name, step: Number.POSITIVE_INFINITY }, user);
  return [
    ...(own ? [valueSourceOfCase(name, own, flow)] : []),
    ...(flow.rowNames(user).includes(name) ? [valueSourceOfRows(name, user, flow)] : []),
    ...(flow.given.has(name) ? [{ name, origin: flow.given.get(name)!.origin }] : []),
    ...flow.variables(name, user, 'near').map(valueSourceOfVariable),
    ...flow.keepersElsewhere(name, user).map(each => valueSourceOfCase(name, each, flow)),
    ...flow.variables(name, user, 'outer').map(valueSourceOfVariable),
  ];
}

/** Every name that something gives a value to in a case, in the order of the alphabet. */
export function namesIn(user: CollectionCase, flow: Flow): string[] {
  const { collection, environment, given } = flow;
  const names = new Set([
    ...given.keys(),
    ...environment.keys(),
    ...(collection.secrets?.variables.keys() ?? []),
    ...user.levels.flatMap(level => [...level.variables.keys()]),
    ...flow.rowNames(user),
    ...collection.pages.flatMap(page =>
      page.cases.flatMap(each => flow.namesOf(each).products.map(product => product.name)),
    ),
  ]);
  return [...names].filter(name => valueSourcesOf(name, user, flow).length > 0).sort();
}

function valueSourceOfRows(
  name: string,
  user: CollectionCase,
  { tables, iterationTable }: Flow,
): ValueSource {
  const { page, written } = user;
  const { each } = written;
  const byRows = true;
  const place = each && placeOf(page.page.source, each.range);
  if (each?.type === 'each-value' && each.name === name)
    return { name, byRows, origin: 'an item of a list', ...(place && { place }) };
  const [own, ofPage] = [tables.ofCase.get(user), tables.ofPage.get(page)];
  if (own?.columns.includes(name))
    return { name, byRows, origin: `a column of ${own.name}`, ...(place && { place }) };
  if (!ofPage?.columns.includes(name)) return { name, byRows, origin: `a column of ${iterationTable.name}` };
  const { table, level } = page.rows!;
  return {
    name,
    byRows,
    origin: `a column of ${ofPage.name}`,
    place: placeOf(level.source, table.range),
  };
}

function valueSourceOfVariable(definition: VariableDefinition): ValueSource {
  const { name, origin, source, range } = definition;
  return { name, origin, place: placeOf(source, range), definition };
}

function valueSourceOfCase(name: string, producer: CollectionCase, flow: Flow): ValueSource {
  const product = flow.namesOf(producer).products.find(each => each.name === name)!;
  const how = product.how === 'keep' ? 'kept' : 'computed';
  return {
    name,
    origin: `${how} in ${producer.address}`,
    place: placeOf(producer.page.page.source, product.range),
  };
}

/** The text of a variable as far as it is known before the run; nothing where it is not. */
export function valueBefore(
  definition: VariableDefinition,
  lookup: (name: string) => VariableDefinition | undefined,
  external: ExternalSources,
  clockAndRandom: ClockAndRandom,
) {
  const trail = new Set<VariableDefinition>();
  const resolve = (each: VariableDefinition): ReturnType<VariableDefinition['resolve']> => {
    if (trail.has(each)) throw new Error(`'${each.name}' refers to itself`);
    trail.add(each);
    const context = {
      clockAndRandom,
      lookup: (name: string) => {
        const other = lookup(name);
        return other && { ...resolve(other), secret: other.secret };
      },
    };
    const result = each.resolve(context, external);
    trail.delete(each);
    return result;
  };
  try {
    return resolve(definition).value;
  } catch {
    return undefined;
  }
}
