import { checkStatement } from '../language/analyse.ts';
import { isWithin, parseBound } from '../language/bounds.ts';
import { type Code, type Finding, finding, findingOf, sortFindings } from '../model/finding.ts';
import { didYouMean } from '../text/words.ts';
import type { Analysis } from './analysis.ts';
import { findingsOfFlow, unusedNames } from './flow-findings.ts';
import { secretsInCase, secretsInLevel } from './written-secrets.ts';

/** Looks through what was chosen of a collection for one sort of thing that is wrong with it. */
export type FindingPass = (analysis: Analysis) => Finding[];

/** Where settings cannot be read, what they would have set is missing too; that is not told once more. */
export function withoutFollowing(findings: readonly Finding[]): Finding[] {
  const unreadable = findings.some(each => each.code === 'yaml-form' || each.code === 'setting-form');
  const following: Code[] = ['base-missing', 'name-unknown', 'environment-unknown'];
  return unreadable ? findings.filter(each => !following.includes(each.code)) : [...findings];
}

/** A name that is used in many places and known in none is told once. */
export function gatherUnknownNames(findings: readonly Finding[]): Finding[] {
  const isUnknown = (each: Finding) => each.code === 'name-unknown';
  const [unknown, others] = [
    sortFindings(findings.filter(isUnknown)),
    findings.filter(each => !isUnknown(each)),
  ];
  const byMessage = new Map<string, Finding[]>();
  for (const each of unknown) {
    const alike = byMessage.get(each.message);
    if (alike) alike.push(each);
    else byMessage.set(each.message, [each]);
  }
  const gathered = [...byMessage].map(([message, alike]) => {
    const [first, ...more] = alike as [Finding, ...Finding[]];
    if (more.length === 0) return first;
    const places = more.length === 1 ? 'one more place' : `${more.length} more places`;
    return { ...first, message: `${message} It is used in ${places}.` };
  });
  return [...others, ...gathered];
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
function ofVariables({ variables, options: { hasFile } }: Analysis): Finding[] {
  return [...variables].flatMap(({ file, computed, name, source, range }) => {
    if (computed) return checkStatement(computed, [computed]).map(error => findingOf(error, source));
    if (file === undefined || !hasFile || hasFile(file)) return [];
    const message = `There is no file '${file}', which holds the variable '${name}'.`;
    return [
      finding('file-missing', { source, range }, message, 'Its path is relative to the file that names it.'),
    ];
  });
}

/** Bounds that are for nothing in the collection: they would be kept by accident. */
function ofBounds({ collection: { root, pages } }: Analysis): Finding[] {
  const addresses = pages.flatMap(page => page.cases.map(each => each.address));
  return (root.bounds ?? []).flatMap(({ text, range }) => {
    const { of } = parseBound(text);
    if (of === undefined || addresses.some(address => isWithin(address, of))) return [];
    const known = [...pages.map(page => page.page.source.file), ...addresses];
    const remedy = didYouMean(of, known) ?? 'A bound is for a case, a page or a folder of the collection.';
    return [finding('bound-unknown', { source: root.source, range }, `Nothing here is '${of}'.`, remedy)];
  });
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

/** Names that nothing gives, or that hide others. Without its table nobody knows the names that it gives. */
function ofNames({ flow, tables: { errors }, chosen: { cases } }: Analysis): Finding[] {
  return [...cases].flatMap(each =>
    errors.has(each) || errors.has(each.page) ? [] : findingsOfFlow(each, flow),
  );
}

function ofUnusedNames({ collection, flow, chosen }: Analysis): Finding[] {
  return chosen.isWhole ? unusedNames(collection, flow) : [];
}

export const findingPasses: readonly FindingPass[] = [
  ofPages,
  unverified,
  ofWrittenSecrets,
  ofUnusedNames,
  ofVariables,
  ofTables,
  ofBounds,
  ofNames,
];
