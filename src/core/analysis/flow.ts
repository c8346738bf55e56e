import type { VariableDefinition } from '../settings/variable-definition.ts';
import { nearest } from '../text/words.ts';
import { type CaseNames, namesOf, type Use } from './case-names.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import type { GivenValue } from './given-value.ts';
import { type Needed, resolveNeeds } from './needs.ts';
import type { Plan } from './plan.ts';
import { noTables, type Tables } from './tables.ts';

/** What gives a name its value at a place of use. */
export type Binding =
  /** Given on the command line. */
  | { readonly from: 'given' }
  | { readonly from: 'variable'; readonly definition: VariableDefinition }
  /** A column of the table, or the item of the list, that the case is carried out for each of. */
  | { readonly from: 'row' }
  /** Kept or computed earlier on the same page. */
  | { readonly from: 'page'; readonly producer: CollectionCase }
  /** Kept by the one other page that does. */
  | { readonly from: 'other-page'; readonly producers: readonly CollectionCase[] };

export interface BoundUse {
  readonly use: Use;
  readonly binding: Binding | undefined;
  /** Set where a variable refers to itself, or to others without end. */
  readonly circular?: boolean;
}

export interface FlowOptions {
  /** Of the environment that is chosen. */
  readonly environmentName?: string | undefined;
  readonly tables?: Tables;
  /** Columns of the table that the whole selection runs for each row of. */
  readonly iterationTable?: IterationTable | undefined;
}

/** The uses of a case while they are bound. */
class CaseUses {
  readonly bound: BoundUse[] = [];
  /** Variables that refer to each other, on the way to the one that is looked at. */
  readonly trail = new Set<VariableDefinition>();
  /** Whose references have been followed already, by the step that uses them. */
  readonly #followed = new Map<number, Set<VariableDefinition>>();

  /** Whether the references of a variable are still to be followed; once. */
  follows(step: number, definition: VariableDefinition): boolean {
    const ofStep = this.#followed.get(step) ?? new Set();
    this.#followed.set(step, ofStep);
    if (ofStep.has(definition)) return false;
    ofStep.add(definition);
    return true;
  }
}

/** Levels that stand above the values kept by other pages, and those below them. */
type Reach = 'near' | 'outer';

/** So many variables may refer to each other, one to the next. */
const deepest = 500;

/** The table whose rows whole iterations are for: as messages call it, and its columns. */
export interface IterationTable {
  readonly name: string;
  readonly columns: readonly string[];
}

const noTable: IterationTable = { name: '', columns: [] };

/** The flow of data through a collection: which case makes a name, and which uses it. */
export class Flow {
  readonly environmentName: string | undefined;
  readonly tables: Tables;
  readonly iterationTable: IterationTable;
  readonly #names = new Map<CollectionCase, CaseNames>();
  readonly #boundUses = new Map<CollectionCase, readonly BoundUse[]>();
  readonly #producers = new Map<CollectionCase, readonly CollectionCase[]>();
  /** Which cases of a page make a name, by their place on it. */
  readonly #makers = new Map<CollectionPage, Map<string, number[]>>();
  readonly #needs = new Map<CollectionCase, Needed>();
  readonly #place = new Map<CollectionCase, number>();
  /** Pages that keep a name, with the cases that do. */
  readonly #keepers = new Map<string, Map<CollectionPage, CollectionCase[]>>();

  constructor(
    readonly collection: Collection,
    readonly environment: ReadonlyMap<string, VariableDefinition>,
    readonly given: ReadonlyMap<string, GivenValue>,
    { tables = noTables, iterationTable = noTable, environmentName }: FlowOptions = {},
  ) {
    this.environmentName = environmentName;
    this.tables = tables;
    this.iterationTable = iterationTable;
    for (const page of collection.pages) {
      const makers = new Map<string, number[]>();
      this.#makers.set(page, makers);
      for (const [place, each] of page.cases.entries()) {
        const names = namesOf(each);
        this.#names.set(each, names);
        this.#place.set(each, place);
        for (const { name, how } of names.products) {
          const places = makers.get(name);
          if (!places) makers.set(name, [place]);
          else if (places.at(-1) !== place) places.push(place);
          if (how !== 'keep') continue;
          const pages = this.#keepers.get(name) ?? new Map<CollectionPage, CollectionCase[]>();
          const keeping = pages.get(page);
          if (keeping) keeping.push(each);
          else pages.set(page, [each]);
          this.#keepers.set(name, pages);
        }
      }
    }
  }

  namesOf(each: CollectionCase): CaseNames {
    return this.#names.get(each)!;
  }

  /** The strongest variable of these levels. */
  variable(name: string, each: CollectionCase, reach: Reach): VariableDefinition | undefined {
    return this.variables(name, each, reach)[0];
  }

  /** All of them, from strong to weak. */
  variables(name: string, each: CollectionCase, reach: Reach): VariableDefinition[] {
    const { length: outer } = each.page.levels.filter(level => level.source !== each.page.page.source);
    if (reach === 'near') {
      return each.levels
        .slice(outer)
        .toReversed()
        .flatMap(level => level.variables.get(name) ?? []);
    }
    return [
      this.environment.get(name) ?? [],
      this.collection.secrets?.variables.get(name) ?? [],
      ...each.levels
        .slice(0, outer)
        .toReversed()
        .map(level => level.variables.get(name) ?? []),
    ].flat();
  }

  /** Of a case on its page. */
  placeOf(each: CollectionCase): number {
    return this.#place.get(each)!;
  }

  namesMadeOn(page: CollectionPage): Iterable<string> {
    return this.#makers.get(page)?.keys() ?? [];
  }

  /** The first case of a page that makes a name. */
  makerOn(page: CollectionPage, name: string): CollectionCase | undefined {
    const [first] = this.#makers.get(page)?.get(name) ?? [];
    return first === undefined ? undefined : page.cases[first];
  }

  /** The cases of other pages that keep a name. */
  keepersElsewhere(name: string, user: CollectionCase): CollectionCase[] {
    return [...(this.#keepers.get(name) ?? [])].flatMap(([page, cases]) => (page === user.page ? [] : cases));
  }

  /** From strong to weak: earlier on the page, the command line, page variables, another page, outer variables. */
  bind(use: Use, user: CollectionCase): Binding | undefined {
    const earlier = this.earlierOnPage(use, user);
    if (earlier) return { from: 'page', producer: earlier };
    if (this.rowNames(user).includes(use.name) && !isListOf(use, user)) return { from: 'row' };
    if (this.given.has(use.name)) return { from: 'given' };
    const near = this.variable(use.name, user, 'near');
    if (near) return { from: 'variable', definition: near };
    const others = this.keepingPages(use.name, user);
    if (others.length === 1) {
      const [[page, producers]] = others as [[CollectionPage, CollectionCase[]]];
      return this.tables.ofPage.has(page) ? undefined : { from: 'other-page', producers };
    }
    const outer = this.variable(use.name, user, 'outer');
    return outer && others.length === 0 ? { from: 'variable', definition: outer } : undefined;
  }

  /** The other pages that keep a name; where there are several, those of them that the case needs. */
  keepingPages(name: string, user: CollectionCase): [CollectionPage, CollectionCase[]][] {
    const others = [...(this.#keepers.get(name) ?? [])].filter(([page]) => page !== user.page);
    if (others.length < 2) return others;
    const needed = new Set(this.neededBy(user).cases.map(each => each.page));
    const meant = others.filter(([page]) => needed.has(page));
    return meant.length === 1 ? meant : others;
  }

  /** Every name that some page keeps. */
  get keptNames(): Iterable<string> {
    return this.#keepers.keys();
  }

  /** What the settings of a case ask for, whatever names it takes. */
  neededBy(user: CollectionCase): Needed {
    let needed = this.#needs.get(user);
    if (!needed) {
      needed = resolveNeeds(user, this.collection);
      this.#needs.set(user, needed);
    }
    return needed;
  }

  /** The names that each row, or each item of a list, gives a case; the nearest table first. */
  rowNames(user: CollectionCase): readonly string[] {
    const { each } = user.written;
    return [
      ...(each?.type === 'each-value' ? [each.name] : (this.tables.ofCase.get(user)?.columns ?? [])),
      ...(this.tables.ofPage.get(user.page)?.columns ?? []),
      ...this.iterationTable.columns,
    ];
  }

  /** The last case of the page, up to a step of this one, that makes a name. */
  earlierOnPage(
    { name, step }: Pick<Use, 'name' | 'step'>,
    user: CollectionCase,
  ): CollectionCase | undefined {
    const producers = this.#makers.get(user.page)?.get(name);
    if (!producers) return undefined;
    const own = this.#place.get(user)!;
    // What cleans up runs when all others have.
    const last = user.written.cleanup ? producers.at(-1) : lastUpTo(producers, own);
    if (last !== own) return last === undefined ? undefined : user.page.cases[last];
    if (this.namesOf(user).products.some(each => each.name === name && each.step < step)) return user;
    const before = lastUpTo(producers, own - 1);
    return before === undefined ? undefined : user.page.cases[before];
  }

  /** The uses of a case, and, where a variable refers to other names, the uses of those. */
  boundUses(user: CollectionCase): readonly BoundUse[] {
    let uses = this.#boundUses.get(user);
    if (!uses) {
      const own = new CaseUses();
      for (const use of this.namesOf(user).uses) this.#bind(use, user, own);
      uses = own.bound;
      this.#boundUses.set(user, uses);
    }
    return uses;
  }

  #bind(use: Use, user: CollectionCase, uses: CaseUses): void {
    const binding = this.bind(use, user);
    const { bound, trail } = uses;
    if (binding?.from !== 'variable') {
      bound.push({ use, binding });
      return;
    }
    const { definition } = binding;
    if (trail.has(definition) || trail.size > deepest) {
      bound.push({ use, binding, circular: true });
      return;
    }
    bound.push({ use, binding });
    if (definition.references.length === 0 || !uses.follows(use.step, definition)) return;
    trail.add(definition);
    for (const { name, range } of definition.references)
      this.#bind({ ...use, name, range, source: definition.source }, user, uses);
    trail.delete(definition);
  }

  /** The cases that a case cannot do without: it takes names from them, or its settings need them. */
  producersFor(user: CollectionCase): readonly CollectionCase[] {
    let producers = this.#producers.get(user);
    if (!producers) {
      producers = this.#findProducers(user);
      this.#producers.set(user, producers);
    }
    return producers;
  }

  #findProducers(user: CollectionCase): CollectionCase[] {
    const producers = new Set<CollectionCase>();
    for (const { binding } of this.boundUses(user)) {
      if (binding?.from === 'page' && binding.producer !== user) producers.add(binding.producer);
      if (binding?.from === 'other-page') for (const producer of binding.producers) producers.add(producer);
    }
    return [...new Set([...producers, ...this.neededBy(user).cases])];
  }
}

/** Names given on the command line that none of these cases takes from there, each with the nearest that one uses. */
export function unusedGiven(cases: readonly CollectionCase[], flow: Flow): Plan['unusedGiven'] {
  if (flow.given.size === 0) return [];
  const uses = cases.flatMap(each => flow.boundUses(each));
  const taken = new Set(uses.flatMap(({ use, binding }) => (binding?.from === 'given' ? [use.name] : [])));
  const used = new Set(uses.map(({ use }) => use.name));
  return [...flow.given.keys()]
    .filter(name => !taken.has(name))
    .map(name => {
      const near = used.has(name) ? undefined : nearest(name, used);
      return { name, ...(near !== undefined && { nearest: near }) };
    });
}

/** The largest of ascending numbers that is not above a limit. */
function lastUpTo(numbers: readonly number[], limit: number): number | undefined {
  let [low, high] = [0, numbers.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (numbers[middle]! <= limit) low = middle + 1;
    else high = middle;
  }
  return numbers[low - 1];
}

/** The list of an `each` is looked up before any of its items is there. */
function isListOf({ range, source }: Use, { written, page }: CollectionCase): boolean {
  return (
    written.each?.type === 'each-value' && source === page.page.source && range === written.each.list.range
  );
}
