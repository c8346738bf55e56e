import type { Doubt, DoubtedCase } from '../../core/doubt/doubt.ts';
import type { DoubtedRequest, Unnoticed } from '../../core/doubt/doubt-request.ts';
import { percentText } from '../../core/record/number-texts.ts';
import { withoutOrigin } from '../../core/text/hosts.ts';
import { counted, grouped } from '../../core/text/words.ts';

// What `doubt` found, as plain data: every form of it is made of this.

/** Changes, one thing each. */
export interface ChangeCounts {
  /** Those that a check could rightly notice: what was noticed, and what was not. */
  readonly countable: number;
  readonly noticed: number;
  /** Of the noticed ones, those that only the definition of the API has noticed. */
  readonly byDefinition: number;
  /** Those of a value that goes into a later request; they stand outside of the others. */
  readonly carried: number;
}

/** Part of an answer in which changes went unnoticed. */
export interface UnnoticedPart {
  /** `$.berths[*].code` */
  readonly at: string;
  readonly changes: readonly string[];
  /** Together they would notice all of these. */
  readonly checks: readonly string[];
}

export interface RequestDigest extends ChangeCounts {
  /** As FILE:LINE. */
  readonly place: string;
  /** `GET /v1/berths` */
  readonly request: string;
  /** How many changes were made, of how many that there are. */
  readonly tried: number;
  readonly possible: number;
  readonly unnoticed: readonly UnnoticedPart[];
  /** Checks that fail where something is added that nobody would expect. */
  readonly brittle: readonly { readonly check: string; readonly place: string; readonly at: string }[];
}

export interface CaseDigest extends ChangeCounts {
  readonly case: string;
  readonly title: string;
  readonly requests: readonly RequestDigest[];
  /** Steps that do not give what was recorded. */
  readonly leftOut: readonly { readonly step: string; readonly place: string; readonly reason: string }[];
}

export interface DoubtDigest extends ChangeCounts {
  /** The run whose answers were changed. */
  readonly run: string;
  readonly brittle: number;
  readonly cases: readonly CaseDigest[];
  readonly leftOut: readonly { readonly case: string; readonly reason: string }[];
}

export function digestOf({ cases, leftOut }: Doubt, run: string): DoubtDigest {
  const digests = cases.map(caseDigest);
  return {
    run,
    ...sumOf(digests),
    brittle: digests.flatMap(({ requests }) => requests.flatMap(({ brittle }) => brittle)).length,
    cases: digests,
    leftOut: leftOut.map(({ address, reason }) => ({ case: address, reason })),
  };
}

function caseDigest({ address, title, requests, leftOut }: DoubtedCase): CaseDigest {
  const digests = requests.map(requestDigest);
  return {
    case: address,
    title,
    ...sumOf(digests),
    requests: digests,
    leftOut: leftOut.map(({ text, place, reason }) => ({ step: text, place: placeText(place), reason })),
  };
}

function requestDigest(doubted: DoubtedRequest): RequestDigest {
  const { request, noticed, byDefinition, carried, tried, possible, unnoticed, brittle } = doubted;
  const { method, url } = request.answer.exchange.request;
  return {
    place: placeText(request.step.place),
    request: `${method} ${withoutOrigin(url)}`,
    countable: noticed + unnoticed.length,
    noticed,
    byDefinition,
    carried,
    tried,
    possible,
    unnoticed: partsOf(unnoticed),
    brittle: brittle.map(({ judge, at }) => ({ check: judge.text, place: placeText(judge.place), at })),
  };
}

/** By member, the one first whose check is worth most; the checks of each are as few as notice all of its changes. */
function partsOf(unnoticed: readonly Unnoticed[]): UnnoticedPart[] {
  const parts = new Map<string, Unnoticed[]>();
  for (const each of unnoticed) {
    const same = parts.get(each.change.at);
    if (same) same.push(each);
    else parts.set(each.change.at, [each]);
  }
  return [...parts].map(([at, own]) => ({
    at,
    changes: own.map(({ change }) => change.words),
    checks: fewest(own),
  }));
}

function fewest(unnoticed: readonly Unnoticed[]): string[] {
  const checks: string[] = [];
  let left = unnoticed;
  while (left.length > 0) {
    const all = [...new Set(left.flatMap(({ remedies }) => remedies))];
    const count = (remedy: (typeof all)[number]) =>
      left.filter(({ remedies }) => remedies.includes(remedy)).length;
    const best = all.reduce((a, b) => (count(b) > count(a) ? b : a));
    checks.push(best.text);
    left = left.filter(({ remedies }) => !remedies.includes(best));
  }
  return checks;
}

function sumOf(all: readonly ChangeCounts[]): ChangeCounts {
  const sum = (of: (counts: ChangeCounts) => number) => all.reduce((before, each) => before + of(each), 0);
  return {
    countable: sum(each => each.countable),
    noticed: sum(each => each.noticed),
    byDefinition: sum(each => each.byDefinition),
    carried: sum(each => each.carried),
  };
}

function placeText({ file, line }: { readonly file: string; readonly line: number }): string {
  return `${file}:${line}`;
}

/** Whether something in a case would go unnoticed, or is brittle. */
export function hasGaps({ requests }: CaseDigest): boolean {
  return requests.some(({ unnoticed, brittle }) => unnoticed.length + brittle.length > 0);
}

/** `18 of 24 changes are noticed` */
export function noticedInWords({ noticed, countable }: ChangeCounts): string {
  return `${grouped(noticed)} of ${counted(countable, 'change')} ${noticed === 1 ? 'is' : 'are'} noticed`;
}

/** The sentences that everything comes to. */
export function verdictInWords(digest: DoubtDigest): string {
  const { noticed, countable } = digest;
  if (countable === 0) return 'There was nothing to change that a check could notice.';
  return [`${noticedInWords(digest)}, ${percentText(noticed / countable)}.`, ...moreInWords(digest)].join(
    ' ',
  );
}

function carriedInWords(count: number): string {
  return count === 1
    ? '1 more is of a value that goes into a later request.'
    : `${grouped(count)} more are of values that go into later requests.`;
}

/** What else is to be known of the share. */
export function moreInWords({ byDefinition, carried, brittle }: DoubtDigest): string[] {
  return [
    ...(byDefinition > 0
      ? [`The definition of the API alone notices ${grouped(byDefinition)} of them.`]
      : []),
    ...(carried > 0 ? [carriedInWords(carried)] : []),
    ...(brittle > 0 ? [`${counted(brittle, 'check is', 'checks are')} brittle.`] : []),
  ];
}
