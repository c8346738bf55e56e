import { type Finding, finding } from '../model/finding.ts';
import { Plain } from '../model/value.ts';
import { sayKind } from '../steps/query/bind-values.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { isNumberText } from '../values/number.ts';
import type { Use } from './case-names.ts';
import type { Collection, CollectionCase } from './collection.ts';
import type { Binding, Flow } from './flow.ts';

/** What is wrong with the names of a case: those that nothing gives, and those that hide others. */
export function findingsOfFlow(user: CollectionCase, flow: Flow): Finding[] {
  const findings: Finding[] = [...flow.neededBy(user).findings];
  for (const { use, binding, circular } of flow.boundUses(user)) {
    if (circular)
      findings.push(
        finding(
          'name-circular',
          { source: use.source, range: use.range },
          `The variable '${use.name}' refers to itself.`,
        ),
      );
    else if (use.early && isMadeByCase(use.name, binding, user, flow)) findings.push(tooEarly(use));
    else if (!binding) findings.push(unbound(use, user, flow));
    else if (use.needsKind && isNumberWithoutKind(use.name, binding, flow)) findings.push(withoutKind(use));
  }
  return [...findings, ...shadowed(user, flow)];
}

function isMadeByCase(name: string, binding: Binding | undefined, user: CollectionCase, flow: Flow): boolean {
  if (!binding) return flow.makerOn(user.page, name) !== undefined;
  return binding.from !== 'given' && binding.from !== 'variable';
}

/** Where that is known before anything runs; what else has no kind is told when it is used. */
function isNumberWithoutKind(name: string, binding: Binding, { given }: Flow): boolean {
  if (binding.from === 'variable') {
    const { isPlain, literal } = binding.definition;
    return isPlain === true && isNumberText(literal!);
  }
  const value = binding.from === 'given' ? given.get(name)?.value : undefined;
  return value instanceof Plain && isNumberText(value.text);
}

function withoutKind({ name, source, range }: Use): Finding {
  return finding(
    'query-form',
    { source, range },
    `'${name}' may be a number or a text, and SQLite compares by which it is; ${sayKind(name)}`,
  );
}

function tooEarly({ name, source, range }: Use): Finding {
  return finding(
    'name-later',
    { source, range },
    `'${name}' has no value yet: the rows of a table are asked for before any case has made a name.`,
    'They take names of the settings, and of --set. What a case has made is a list of its own: each {berths} as berth',
  );
}

function unbound(use: Use, user: CollectionCase, flow: Flow): Finding {
  const { name, source, range } = use;
  const others = flow.keepingPages(name, user);
  const files = inWords(others.map(([page]) => page.page.source.file));
  if (others.length > 1)
    return finding(
      'name-ambiguous',
      { source, range },
      `'${name}' is kept by ${files}.`,
      `Say which page is meant: needs: [${others[0]![1][0]!.address}]`,
    );
  if (others.length === 1)
    return finding(
      'name-of-rows',
      { source, range },
      `'${name}' is kept by ${files}, which runs once for each row of a table, so there is no one value of it.`,
      'Use it on that page, or keep it on a page without rows.',
    );
  return later(use, user, flow) ?? unknown(use, user, flow);
}

/** Where the page makes the name further down. */
function later({ name, source, range }: Use, user: CollectionCase, flow: Flow): Finding | undefined {
  const maker = flow.makerOn(user.page, name);
  if (!maker) return undefined;
  const product = productNamed(maker, name, flow)!;
  const line = maker.page.page.source.position(product.range.start).line;
  const own = source === user.page.page.source;
  return finding(
    'name-later',
    { source, range },
    own
      ? `'${name}' has no value yet here; line ${line} makes it.`
      : `'${name}' has no value yet in ${user.address}; line ${line} of ${maker.page.page.source.file} makes it.`,
    !own
      ? 'Take the setting away for that case: a fence `yaml settings` with the value null.'
      : maker === user
        ? 'Move that line above this one.'
        : 'Move the case that makes it above this one.',
  );
}

function productNamed(each: CollectionCase, name: string, flow: Flow) {
  return flow.namesOf(each).products.find(product => product.name === name);
}

function unknown({ name, source, range }: Use, user: CollectionCase, flow: Flow): Finding {
  const environments = environmentsWith(name, flow);
  if (environments.length > 0)
    return finding(
      flow.environmentName === undefined ? 'environment-unchosen' : 'name-unknown',
      { source, range },
      flow.environmentName === undefined
        ? `'${name}' has a value in environments alone, and none is chosen.`
        : `The environment ${flow.environmentName} gives '${name}' no value.`,
      `It is given by ${inWords(environments)}: --env ${environments[0]}`,
    );
  return finding(
    'name-unknown',
    { source, range },
    `'${name}' has no value anywhere.`,
    nearName(name, user, flow) ??
      columnsInWords(user, flow) ??
      'Keep it in an earlier case, define it among variables, or give it with --set.',
  );
}

/** The environments that give a name a value. */
function environmentsWith(name: string, { collection: { root, secrets } }: Flow): string[] {
  const all = [...(root.environments ?? []), ...(secrets?.environments ?? [])];
  return [...new Set(all.flatMap(([environment, variables]) => (variables.has(name) ? [environment] : [])))];
}

/** Where there is a table, a column of it was meant most likely. */
function columnsInWords(user: CollectionCase, { tables, iterationTable }: Flow): string | undefined {
  const table =
    tables.ofCase.get(user) ??
    tables.ofPage.get(user.page) ??
    (iterationTable.columns.length > 0 ? iterationTable : undefined);
  return table && `The columns of ${table.name} are ${inWords(table.columns)}.`;
}

/** So much is compared for all names that nothing gives: characters of one, times those of all others. */
const mostCompared = 20_000_000;

/** What was found for the unknown names of a collection, and what it has cost. */
const suggestions = new WeakMap<Flow, { cost: number; known: Map<string, string | undefined> }>();

function nearName(name: string, user: CollectionCase, flow: Flow): string | undefined {
  const found = suggestions.get(flow) ?? { cost: 0, known: new Map<string, string | undefined>() };
  suggestions.set(flow, found);
  const key = `${user.page.page.source.file} ${name}`;
  if (found.known.has(key)) return found.known.get(key);
  if (found.cost > mostCompared) return undefined;
  const names = new Set(knownNames(user, flow));
  found.cost += names.size * (name.length + 20) * 4;
  const meant = didYouMean(name, names);
  found.known.set(key, meant);
  return meant;
}

function knownNames(user: CollectionCase, flow: Flow): string[] {
  return [
    ...flow.rowNames(user),
    ...flow.namesMadeOn(user.page),
    ...flow.keptNames,
    ...flow.given.keys(),
    ...user.levels.flatMap(level => [...level.variables.keys()]),
    ...flow.environment.keys(),
  ];
}

/** A name that a case makes, or that its rows give, and that a variable bears too; a variable that hides a kept name. */
function shadowed(user: CollectionCase, flow: Flow): Finding[] {
  const { each } = user.written;
  const rows = each ? flow.rowNames(user).map(name => ({ name, how: 'row', range: each.range })) : [];
  const made = [...rows, ...flow.namesOf(user).products].flatMap(({ name, how, range }) => {
    const hidden = flow.variable(name, user, 'near') ?? flow.variable(name, user, 'outer');
    if (!hidden) return [];
    const { line } = hidden.source.position(hidden.range.start);
    const verb = how === 'keep' ? 'Kept' : how === 'let' ? 'Computed' : 'Given by each row';
    return [
      finding(
        'name-shadowed',
        { source: user.page.page.source, range },
        `${verb} as '${name}', it hides the variable '${name}' of ${hidden.source.file}:${line}.`,
        'Give one of them another name.',
      ),
    ];
  });
  return [...made, ...hiding(user, flow), ...hiddenByRows(user, flow)];
}

/** Variables of the page and the case are stronger than what other pages keep, and than an environment. */
function hiding(user: CollectionCase, flow: Flow): Finding[] {
  const { source } = user.page.page;
  return user.levels
    .filter(level => level.source === source)
    .flatMap(level => [...level.variables.values()])
    .flatMap(({ name, range }) => {
      const [keeper] = flow.keepersElsewhere(name, user);
      const ofEnvironment = flow.environment.get(name);
      if (!keeper && !ofEnvironment) return [];
      const hidden = keeper
        ? `the value that ${keeper.address} keeps`
        : `that of the ${ofEnvironment!.origin.replace(/^from /, '')}`;
      return [
        finding(
          'name-shadowed',
          { source, range },
          `The variable '${name}' hides ${hidden}.`,
          'Give one of them another name.',
        ),
      ];
    });
}

/** Columns of the table that the page runs for each row of are stronger than any variable. */
function hiddenByRows(user: CollectionCase, flow: Flow): Finding[] {
  const { rows } = user.page;
  const columns = flow.tables.ofPage.get(user.page)?.columns ?? [];
  return columns.flatMap(name => {
    const hidden = flow.variable(name, user, 'near') ?? flow.variable(name, user, 'outer');
    if (!hidden || !rows) return [];
    const { line } = hidden.source.position(hidden.range.start);
    return [
      finding(
        'name-shadowed',
        { source: rows.level.source, range: rows.table.range },
        `Its column '${name}' hides the variable '${name}' of ${hidden.source.file}:${line}.`,
        'Give one of them another name.',
      ),
    ];
  });
}

/** Kept names that no case uses. */
export function unusedNames(collection: Collection, flow: Flow): Finding[] {
  const used = new Set<string>();
  for (const page of collection.pages)
    for (const each of page.cases) for (const { use } of flow.boundUses(each)) used.add(use.name);
  return collection.pages.flatMap(page =>
    page.cases.flatMap(each =>
      flow
        .namesOf(each)
        .products.filter(({ how, name }) => how === 'keep' && !used.has(name))
        .map(({ name, range }) =>
          finding('name-unused', { source: page.page.source, range }, `'${name}' is kept and never used.`),
        ),
    ),
  );
}
