import type { ChangedCase, ComparedCase, Comparison, SlowerCase } from '../core/record/compare-runs.ts';
import { counted, inWords } from '../core/text/words.ts';
import { durationText } from '../core/values/text.ts';
import { fit, type Measure, type Paint, type Role, visible, wrap } from './style.ts';

interface View {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** What two runs have in common and what not; what matters most comes first. */
export function comparisonText(comparison: Comparison, view: View): string[] {
  const { newlyFailing, newlyBlocked, repaired, slower, added, gone, timesCompared } = comparison;
  const lines = [
    ...section('newly failing', newlyFailing, { more: changeText, role: 'failed' }, view),
    ...blockedLines(newlyBlocked, view),
    ...section('repaired', repaired, { more: changeText }, view),
    ...section('slower', slower, { more: slowerText, role: 'error' }, view),
    ...section('new', added, {}, view),
    ...section('gone', gone, {}, view),
  ];
  const noted = [
    comparisonVerdict(comparison),
    ...(slower.some(each => each.by === 'samples')
      ? [
          'Slower: the later times of the case rank higher than the earlier ones (Mann-Whitney, p < 0.001), a quarter and 2 ms at least.',
        ]
      : []),
    ...(slower.some(each => each.by === 'spread')
      ? [
          'Slower: the case lies more than 5 deviations above how all cases changed (median absolute deviation of the ratios), a quarter and 20 ms at least.',
        ]
      : []),
    ...(timesCompared || comparison.common === 0
      ? []
      : ['Too few times to tell what became slower: 8 cases, or 8 rounds, are wanted.']),
  ];
  const width = Math.min(200, Math.max(60, view.width));
  return [
    ...lines,
    ...noted.flatMap((text, index) =>
      wrap(text, width, view.measure).map(line =>
        index === 0 ? view.paint('strong', line) : view.paint('quiet', line),
      ),
    ),
  ];
}

/** How far what is said of a section stands from the edge. */
const labelWidth = 17;

/** The addresses of cases under each other, and what more there is to say of each, where it fits beside all of them. */
function section<Case extends ComparedCase>(
  title: string,
  cases: readonly Case[],
  { more = () => '', role = 'plain' }: { readonly more?: (each: Case) => string; readonly role?: Role },
  { paint, measure, width }: View,
): string[] {
  if (cases.length === 0) return [];
  const room = Math.min(200, Math.max(60, width)) - labelWidth;
  const widest = (of: (each: Case) => string) => Math.max(...cases.map(each => measure(of(each))));
  const column = Math.min(room, widest(({ address }) => address) + 2);
  const beside = column + widest(more) <= room;
  const lines = cases.map((each, index) => {
    const lead = index === 0 ? paint(role, title.padEnd(labelWidth)) : ' '.repeat(labelWidth);
    const address = visible(each.address);
    return beside
      ? `${lead}${fit(address, column, measure)}${paint('quiet', more(each))}`.trimEnd()
      : lead + address;
  });
  return [...lines, ''];
}

/** How many cases each failure blocks: which ones they are follows from it. */
function blockedLines(cases: readonly ChangedCase[], { paint }: View): string[] {
  const causes = new Map<string, number>();
  for (const { cause = '' } of cases) causes.set(cause, (causes.get(cause) ?? 0) + 1);
  const lines = [...causes].map(([cause, count], index) => {
    const lead = index === 0 ? paint('quiet', 'blocked'.padEnd(labelWidth)) : ' '.repeat(labelWidth);
    return `${lead}${counted(count, 'case')} by ${visible(cause)}`;
  });
  return lines.length === 0 ? [] : [...lines, ''];
}

function changeText({ before, now }: ChangedCase): string {
  return `${before}, now ${now}`;
}

function slowerText({ before, now }: SlowerCase): string {
  return `${durationText(before)}, now ${durationText(now)}`;
}

/** `Of 12 cases in both runs: 1 newly failing and 2 newly blocked.` */
export function comparisonVerdict(comparison: Comparison): string {
  const { newlyFailing, newlyBlocked, repaired, freed, slower, added, gone, stillFailing, common } =
    comparison;
  const parts = [
    ...(newlyFailing.length > 0 ? [`${newlyFailing.length} newly failing`] : []),
    ...(newlyBlocked.length > 0 ? [`${newlyBlocked.length} newly blocked`] : []),
    ...(stillFailing > 0 ? [`${stillFailing} still not passing`] : []),
    ...(repaired.length > 0 ? [`${repaired.length} repaired`] : []),
    ...(freed.length > 0 ? [`${freed.length} no longer blocked`] : []),
    ...(slower.length > 0 ? [`${slower.length} slower`] : []),
    ...(added.length > 0 ? [`${added.length} new`] : []),
    ...(gone.length > 0 ? [`${gone.length} gone`] : []),
  ];
  const what = parts.length === 0 ? 'nothing changed' : inWords(parts);
  return `Of ${counted(common, 'case')} in both runs: ${what}.`.replace(/^Of 0 cases/, 'Of no case');
}

/** The same for the page of a review. */
export function comparisonMarkdown(comparison: Comparison, before: string, now: string): string {
  const { newlyFailing, newlyBlocked, repaired, slower, added, gone } = comparison;
  const sections: [title: string, lines: string[]][] = [
    ['Newly failing', newlyFailing.map(each => `${code(each.address)}: ${changeText(each)}`)],
    ['Newly blocked', newlyBlocked.map(each => `${code(each.address)}, by ${code(each.cause ?? '')}`)],
    ['Repaired', repaired.map(({ address }) => code(address))],
    ['Slower', slower.map(each => `${code(each.address)}: ${slowerText(each)}`)],
    ['New', added.map(({ address }) => code(address))],
    ['Gone', gone.map(({ address }) => code(address))],
  ];
  return [
    `**${comparisonVerdict(comparison)}**`,
    '',
    `${code(before)}, then ${code(now)}`,
    ...sections.flatMap(([title, lines]) =>
      lines.length === 0 ? [] : ['', `### ${title}`, '', ...lines.map(line => `- ${line}`)],
    ),
  ].join('\n');
}

/** A code span; addresses hold no backtick that could end it. */
function code(text: string): string {
  return `\`${text.replaceAll('`', "'")}\``;
}
