import { checkStatement } from '../language/analyse.ts';
import { isWithin, parseBound } from '../language/bounds.ts';
import { isPhase, phaseInWords } from '../language/load/load.ts';
import { referenceText } from '../language/reference.ts';
import { mayHoldForeignReferences } from '../language/templates/foreign-references.ts';
import { isHost, withScheme } from '../language/templates/target.ts';
import type { Template } from '../language/templates/template.ts';
import { type Code, type Finding, finding, findingOf, sortFindings } from '../model/finding.ts';
import type { Level } from '../settings/level.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { settingOf } from '../settings/table.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { kindOfStep } from '../steps/kinds.ts';
import { foreignReferencesOf } from '../steps/statement-kind.ts';
import { isLoopback } from '../text/hosts.ts';
import { didYouMean, inWords } from '../text/words.ts';
import type { Analysis } from './analysis.ts';
import type { CollectionCase } from './collection.ts';
import { findingsOfFlow, unusedNames } from './flow-findings.ts';
import { withoutSheet } from './tables.ts';
import { secretsInCase, secretsInLevel } from './written-secrets.ts';

/** Looks through what was chosen of a collection for one sort of thing that is wrong with it. */
export type FindingPass = (analysis: Analysis) => Finding[];

/** What is said of many places in the same words: a name that is known in none, what looks like a reference. */
const gathered: readonly Code[] = ['name-unknown', 'environment-unchosen', 'reference-like'];

/** The same said of many places is told once. */
export function gatherAlike(findings: readonly Finding[]): Finding[] {
  const isGathered = (each: Finding) => gathered.includes(each.code);
  const [several, others] = [
    sortFindings(findings.filter(isGathered)),
    findings.filter(each => !isGathered(each)),
  ];
  const byMessage = new Map<string, Finding[]>();
  for (const each of several) {
    const alike = byMessage.get(each.message);
    if (alike) alike.push(each);
    else byMessage.set(each.message, [each]);
  }
  const once = [...byMessage].map(([message, alike]) => {
    const [first, ...more] = alike as [Finding, ...Finding[]];
    if (more.length === 0) return first;
    const places = more.length === 1 ? 'one more place' : `${more.length} more places`;
    const what = first.code === 'reference-like' ? 'It stands' : 'It is used';
    return { ...first, message: `${message} ${what} in ${places}.` };
  });
  return [...others, ...once];
}

/** Where certificates are not looked at, nobody knows who answers. */
function unverified({ chosen }: Analysis): Finding[] {
  const levels = new Set(
    [...chosen.cases].flatMap(each => each.levels.findLast(level => level.transport.tls !== undefined) ?? []),
  );
  return [...levels]
    .filter(level => level.transport.tls?.verify === false)
    .map(level =>
      finding(
        'tls-unverified',
        { source: level.source, range: level.tlsRange ?? { start: 0, end: 0 } },
        'Certificates are not looked at here, so nobody knows who answers.',
        'An authority of your own is a setting too: tls: { ca: authority.pem }',
      ),
    );
}

/** Databases elsewhere that nobody secures the way to. */
function unsecured({ chosen }: Analysis): Finding[] {
  const levels = new Set([...chosen.cases].flatMap(each => each.levels));
  return [...levels].flatMap(({ source, databases }) =>
    [...databases.values()].flatMap(each => {
      if (each?.tls !== 'none' || !each.authority) return [];
      const host = each.authority.parts.join('').replace(/:\d+$/, '');
      if (each.authority.parts.every(part => typeof part === 'string') && isLoopback(host)) return [];
      return [
        finding(
          'database-unsecured',
          { source, range: each.range },
          `Whatever lies between here and the database '${each.name}' can read along, its password too.`,
          'An authority of your own is named by: tls: { ca: authority.pem }',
        ),
      ];
    }),
  );
}

/** Why tables cannot be used, where they are named. */
function ofTables({ pages, tables: { errors } }: Analysis): Finding[] {
  if (errors.size === 0) return [];
  return pages.flatMap(page => {
    const ofPage = errors.get(page);
    const ofCases = page.cases.flatMap(each => errors.get(each) ?? []);
    return [
      ...(ofPage ? [findingOf(ofPage, page.rows!.level.source)] : []),
      ...ofCases.map(each => findingOf(each, page.page.source)),
    ];
  });
}

/** Files that variables stand in and that are not there, and what can never be computed. */
function ofVariables({ variables, options: { hasFile, external } }: Analysis): Finding[] {
  return [...variables].flatMap(({ file, computed, os, name, source, range }) => {
    if (os !== undefined && external && external.variable(os) === undefined)
      return [
        finding(
          'os-unset',
          { source, range },
          `The environment variable ${os}, which '${name}' stands for, is not set.`,
          `Set it, or give the name a value: --set ${name}=…`,
        ),
      ];
    if (computed) return checkStatement(computed, [computed]).map(error => findingOf(error, source));
    if (file === undefined || !hasFile || hasFile(file)) return [];
    const message = `There is no file '${file}', which holds the variable '${name}'.`;
    return [
      finding('file-missing', { source, range }, message, 'Its path is relative to the file that names it.'),
    ];
  });
}

/** Bounds that are for nothing in the collection: they would be kept by accident. */
function ofBounds(analysis: Analysis): Finding[] {
  return [...ofScopes(analysis), ...ofPhases(analysis)];
}

/** Where the settings say nothing of a load, any may be asked for that has the phase. */
function ofPhases({ collection: { root } }: Analysis): Finding[] {
  const { source, bounds = [], load } = root;
  if (!load) return [];
  return bounds.flatMap(({ text, range }) => {
    const { phase } = parseBound(text);
    if (phase === undefined || load.phases.some(each => isPhase(each, phase))) return [];
    const labels = load.phases.flatMap(({ label }) => label ?? []);
    const remedy =
      didYouMean(phase, labels) ??
      `There are ${inWords(load.phases.filter(({ number }) => number > 0).map(phaseInWords))}.`;
    return [finding('bound-unknown', { source, range }, `The load has no phase '${phase}'.`, remedy)];
  });
}

/** The table that each user of the load takes a row of. */
function ofLoad({ collection: { root }, options: { hasFile } }: Analysis): Finding[] {
  const { source, load } = root;
  if (!load?.rows || !hasFile || hasFile(withoutSheet(load.rows.table))) return [];
  const { table, range } = load.rows;
  const message = `There is no file '${table}', which each user is to take a row of.`;
  return [
    finding('file-missing', { source, range }, message, 'Its path is relative to the file that names it.'),
  ];
}

function ofScopes({ collection: { root, pages } }: Analysis): Finding[] {
  const addresses = pages.flatMap(page => page.cases.map(each => each.address));
  return (root.bounds ?? []).flatMap(({ text, range }) => {
    const { of } = parseBound(text);
    if (of === undefined || addresses.some(address => isWithin(address, of))) return [];
    const known = [...pages.map(page => page.page.source.file), ...addresses];
    const remedy = didYouMean(of, known) ?? 'A bound is for a case, a page or a folder of the collection.';
    return [finding('bound-unknown', { source: root.source, range }, `Nothing here is '${of}'.`, remedy)];
  });
}

/** What stands before a target begins with a scheme; what it is made of is looked at where it is written out. */
function ofBases({ chosen: { cases }, variables }: Analysis): Finding[] {
  const bases = new Map(
    [...cases].flatMap(({ levels }) => {
      const { base } = mergeLevels(levels);
      return base ? [[base.template, base.level] as const] : [];
    }),
  );
  return [...bases].flatMap(([{ parts }, { source, baseRange }]) => {
    const place = { source, range: baseRange! };
    const [first] = parts;
    const written = parts.map(textOfPart);
    if (first === undefined) return [];
    if (typeof first === 'string') return withoutScheme(written.join(''), 'base', place);
    const { name, path } = first.reference;
    const literal = [...variables].find(each => each.name === name && path.length === 0)?.literal;
    if (literal === undefined) return [];
    return withoutScheme([literal, ...written.slice(1)].join(''), name, place, literal);
  });
}

function textOfPart(part: Template['parts'][number]): string {
  return typeof part === 'string' ? part : `{${referenceText(part.reference)}}`;
}

/**
 * @param key of the setting, or the name of the variable that it begins with
 * @param own what is written behind that
 */
function withoutScheme(
  written: string,
  key: string,
  place: Pick<Finding, 'source' | 'range'>,
  own = written,
): Finding[] {
  if (/^https?:\/\/[^/]/i.test(written)) return [];
  const from = key === 'base' ? '' : `; '${key}' gives it neither`;
  const message = `What stands before the targets begins with http:// or https://${from}.`;
  const remedy = isHost(own)
    ? `Write ${key}: ${withScheme(own)}`
    : `For example: ${key}: https://api.skerry.example`;
  return [finding('base-form', place, message, remedy)];
}

/** Names of an environment that are settings elsewhere, where nothing refers to them: they would do nothing. */
function ofEnvironments({ collection, flow }: Analysis): Finding[] {
  const { root, secrets, pages } = collection;
  const settingLike = [...environmentsOf(root), ...environmentsOf(secrets)].filter(({ name }) =>
    settingOf(name),
  );
  if (settingLike.length === 0) return [];
  const used = new Set(
    pages.flatMap(page => page.cases).flatMap(each => flow.boundUses(each).map(({ use }) => use.name)),
  );
  return settingLike
    .filter(({ name }) => !used.has(name))
    .map(({ name, source, range }) =>
      finding(
        'environment-setting',
        { source, range },
        `An environment holds variables alone, and nothing refers to one that is called '${name}'.`,
        name === 'variables'
          ? 'Its variables stand right below its name: local: { harbour: "http://127.0.0.1:7070" }'
          : `The setting stands at the root and refers to a variable: ${name}: "{harbour}/v1"; each environment gives that its value.`,
      ),
    );
}

function environmentsOf(level: Level | undefined): VariableDefinition[] {
  return [...(level?.environments?.values() ?? [])].flatMap(variables => [...variables.values()]);
}

/** A file of secrets that would go into the next commit. */
function exposed({ collection: { secrets }, options: { isIgnored } }: Analysis): Finding[] {
  if (!secrets || isIgnored?.(secrets.source.file) !== false) return [];
  return [
    finding(
      'secret-exposed',
      { source: secrets.source, range: { start: 0, end: 0 } },
      'Git does not leave this file out, so its secrets would go into the next commit.',
      `Write a line into .gitignore: ${secrets.source.file}`,
    ),
  ];
}

/** What is wrong with the form of pages; one that was named counts also where no case of it could be read. */
function ofPages({ chosen, pages }: Analysis): Finding[] {
  return [...new Set([...chosen.named, ...pages])].flatMap(page => page.findings);
}

/** Secrets that are written out. */
function ofWrittenSecrets({ collection: { secrets }, chosen: { cases } }: Analysis): Finding[] {
  const levels = new Set([...cases].flatMap(each => each.levels));
  return [
    ...[...levels, ...(secrets ? [secrets] : [])].flatMap(secretsInLevel),
    ...[...cases].flatMap(each => secretsInCase(each.written, each.page.page.source)),
  ];
}

/** References as other notations write them, which would be sent as they stand. */
function ofForeignReferences({ chosen: { cases } }: Analysis): Finding[] {
  // Most pages hold nothing that looks like one.
  const pages = new Set([...cases].map(({ page }) => page.page));
  const suspect = new Set([...pages].filter(({ source }) => mayHoldForeignReferences(source.text)));
  if (suspect.size === 0) return [];
  const looked = [...cases].filter(({ page }) => suspect.has(page.page));
  return looked.flatMap(({ written: { steps }, page: { page } }) =>
    steps
      .flatMap(step => [
        ...kindOfStep(step).foreignReferences(step, page.source),
        ...(step.repeat ? foreignReferencesOf(step.repeat, page.source) : []),
      ])
      .map(error => findingOf(error, page.source)),
  );
}

/** Names that nothing gives, or that hide others. Without its table nobody knows the names that it gives. */
function ofNames({ flow, tables: { ofCase, ofPage }, chosen: { cases } }: Analysis): Finding[] {
  const isKnown = (each: CollectionCase) =>
    (each.written.each?.type !== 'each-row' || ofCase.has(each)) &&
    (!each.page.rows || ofPage.has(each.page));
  return [...cases].flatMap(each => (isKnown(each) ? findingsOfFlow(each, flow) : []));
}

function ofUnusedNames({ collection, flow, chosen }: Analysis): Finding[] {
  return chosen.isWhole ? unusedNames(collection, flow) : [];
}

export const findingPasses: readonly FindingPass[] = [
  ofPages,
  unverified,
  unsecured,
  ofWrittenSecrets,
  ofForeignReferences,
  ofUnusedNames,
  ofVariables,
  ofBases,
  ofEnvironments,
  exposed,
  ofTables,
  ofBounds,
  ofLoad,
  ofNames,
];
