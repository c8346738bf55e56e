import { type Finding, finding } from '../text/finding.ts';
import { didYouMean, inWords } from '../text/nearest.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import { type CaseNames, namesOf, type Use } from './names.ts';
import type { CaseTable } from './tables.ts';

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
  /** Set where a variable refers to itself. */
  readonly circular?: boolean;
}

/** The flow of data through a collection: which case makes a name, and which uses it. */
export class Flow {
  readonly #names = new Map<CollectionCase, CaseNames>();
  readonly #boundUses = new Map<CollectionCase, readonly BoundUse[]>();
  readonly #producers = new Map<CollectionCase, readonly CollectionCase[]>();
  /** Which cases of a page make a name, by their place on it. */
  readonly #makers = new Map<CollectionPage, Map<string, number[]>>();
  readonly #place = new Map<CollectionCase, number>();
  /** Pages that keep a name, with the cases that do. */
  readonly #keepers = new Map<string, Map<CollectionPage, CollectionCase[]>>();

  constructor(
    readonly collection: Collection,
    readonly environment: ReadonlyMap<string, VariableDefinition>,
    readonly given: ReadonlySet<string>,
    readonly tables: ReadonlyMap<CollectionCase, CaseTable> = new Map(),
  ) {
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

  /** The strongest variable of the levels that stand above the values kept by other pages, or of those below. */
  variable(name: string, each: CollectionCase, near: boolean): VariableDefinition | undefined {
    return this.variables(name, each, near)[0];
  }

  /** All of them, from strong to weak. */
  variables(name: string, each: CollectionCase, near: boolean): VariableDefinition[] {
    const { length: outer } = each.page.levels.filter(level => level.source !== each.page.page.source);
    if (near) {
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
    const near = this.variable(use.name, user, true);
    if (near) return { from: 'variable', definition: near };
    const others = [...(this.#keepers.get(use.name) ?? [])].filter(([page]) => page !== user.page);
    if (others.length === 1) return { from: 'other-page', producers: others[0]![1] };
    const outer = this.variable(use.name, user, false);
    return outer && others.length === 0 ? { from: 'variable', definition: outer } : undefined;
  }

  /** The names that each row, or each item of a list, gives a case. */
  rowNames(user: CollectionCase): readonly string[] {
    const { each } = user.written;
    if (each?.type === 'each-value') return [each.name];
    return this.tables.get(user)?.table.columns ?? [];
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
      const bound: BoundUse[] = [];
      for (const use of this.namesOf(user).uses) this.#bind(use, user, [], bound);
      uses = bound;
      this.#boundUses.set(user, uses);
    }
    return uses;
  }

  #bind(use: Use, user: CollectionCase, trail: readonly VariableDefinition[], into: BoundUse[]): void {
    const binding = this.bind(use, user);
    if (binding?.from !== 'variable') {
      into.push({ use, binding });
      return;
    }
    const { definition } = binding;
    if (trail.includes(definition)) {
      into.push({ use, binding, circular: true });
      return;
    }
    into.push({ use, binding });
    for (const { name, range } of definition.references) {
      const inner = { name, range, source: definition.source, step: use.step };
      this.#bind(inner, user, [...trail, definition], into);
    }
  }

  /** The cases whose values a case cannot do without. */
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
    return [...producers];
  }

  /** Names that a case uses and that nothing gives it. */
  findings(user: CollectionCase): Finding[] {
    const findings: Finding[] = [];
    for (const { use, binding, circular } of this.boundUses(user)) {
      if (circular)
        findings.push(
          finding('name-circular', use.source, use.range, `The variable '${use.name}' refers to itself.`),
        );
      else if (!binding) findings.push(this.#unbound(use, user));
    }
    return [...findings, ...this.#shadowed(user)];
  }

  #unbound(use: Use, user: CollectionCase): Finding {
    const { name, source, range } = use;
    const others = [...(this.#keepers.get(name)?.keys() ?? [])].filter(page => page !== user.page);
    if (others.length > 1) {
      const files = inWords(others.map(page => page.page.source.file));
      return finding(
        'name-ambiguous',
        source,
        range,
        `'${name}' is kept by ${files}.`,
        'Give them different names.',
      );
    }
    const later = user.page.cases.find(each =>
      this.namesOf(each).products.some(product => product.name === name),
    );
    if (later) {
      const product = this.namesOf(later).products.find(each => each.name === name)!;
      const line = later.page.page.source.position(product.range.start).line;
      const own = source === user.page.page.source;
      return finding(
        'name-later',
        source,
        range,
        own
          ? `'${name}' has no value yet here; line ${line} makes it.`
          : `'${name}' has no value yet in ${user.address}; line ${line} of ${later.page.page.source.file} makes it.`,
        own
          ? 'Move the case that makes it above this one.'
          : 'Take the setting away for that case: a fence `yaml settings` with the value null.',
      );
    }
    return finding(
      'name-unknown',
      source,
      range,
      `'${name}' has no value anywhere.`,
      didYouMean(name, this.#knownNames(user)) ??
        'Keep it in an earlier case, define it among variables, or give it with --set.',
    );
  }

  #knownNames(user: CollectionCase): string[] {
    const own = user.page.cases.flatMap(each => this.namesOf(each).products.map(product => product.name));
    const variables = user.levels.flatMap(level => [...level.variables.keys()]);
    return [
      ...this.rowNames(user),
      ...own,
      ...this.#keepers.keys(),
      ...this.given,
      ...variables,
      ...this.environment.keys(),
    ];
  }

  /** A name that a case makes, or that its rows give, and that a variable bears too. */
  #shadowed(user: CollectionCase): Finding[] {
    if (!this.#hasVariables(user)) return [];
    const { each } = user.written;
    const rows = each ? this.rowNames(user).map(name => ({ name, how: 'row', range: each.range })) : [];
    return [...rows, ...this.namesOf(user).products].flatMap(({ name, how, range }) => {
      const hidden = this.variable(name, user, true) ?? this.variable(name, user, false);
      if (!hidden) return [];
      const { line } = hidden.source.position(hidden.range.start);
      const verb = how === 'keep' ? 'Kept' : how === 'let' ? 'Computed' : 'Given by each row';
      return [
        finding(
          'name-shadowed',
          user.page.page.source,
          range,
          `${verb} as '${name}', it hides the variable '${name}' of ${hidden.source.file}:${line}.`,
          'Give one of them another name.',
        ),
      ];
    });
  }

  #hasVariables({ levels }: CollectionCase): boolean {
    const secrets = this.collection.secrets?.variables.size ?? 0;
    return this.environment.size + secrets > 0 || levels.some(level => level.variables.size > 0);
  }

  /** Names given on the command line that none of these cases takes from there. */
  unusedGiven(cases: readonly CollectionCase[]): string[] {
    const taken = new Set(
      cases
        .flatMap(each => this.boundUses(each))
        .flatMap(({ use, binding }) => (binding?.from === 'given' ? [use.name] : [])),
    );
    return [...this.given].filter(name => !taken.has(name));
  }

  /** Kept names that no case uses. */
  unused(): Finding[] {
    const used = new Set<string>();
    for (const page of this.collection.pages)
      for (const each of page.cases) for (const { use } of this.boundUses(each)) used.add(use.name);
    return this.collection.pages.flatMap(page =>
      page.cases.flatMap(each =>
        this.namesOf(each)
          .products.filter(({ how, name }) => how === 'keep' && !used.has(name))
          .map(({ name, range }) =>
            finding('name-unused', page.page.source, range, `'${name}' is kept and never used.`),
          ),
      ),
    );
  }
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
