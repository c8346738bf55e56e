import type { DescribedAnswer } from '../definition/hold/held-exchange.ts';
import type { Value } from '../model/value.ts';
import { kindOf } from '../model/value.ts';
import type { Chance, Change } from '../replay/changes/change.ts';
import { changesOf } from '../replay/changes/changes.ts';
import type { Judge } from '../replay/judge.ts';
import type { ReplayedRequest } from '../replay/replayed-case.ts';
import { type Trial, tryChanges } from '../replay/try-changes.ts';
import type { Suggestion } from '../suggest/suggest.ts';
import { equal } from '../values/compare.ts';
import { isOpen } from '../values/open-value.ts';
import type { LaterUses } from './later-uses.ts';

/** A change that no check has noticed. */
export interface Unnoticed {
  readonly change: Pick<Change, 'at' | 'kind' | 'words'>;
  /** Checks that would notice it, the best first; one at least. */
  readonly remedies: readonly Suggestion[];
}

/** A check that fails where something is added that nobody would expect. */
export interface Brittle {
  readonly judge: Judge;
  /** What was added to. */
  readonly at: string;
}

/** What came of changing the answer to a request. */
export interface DoubtedRequest {
  readonly request: ReplayedRequest;
  /** How many changes were made, and of how many that there are. */
  readonly tried: number;
  readonly possible: number;
  readonly noticed: number;
  /** Of those, the ones that the definition of the API alone notices. */
  readonly byDefinition: number;
  /** Changes of a value that goes into a later request. */
  readonly carried: number;
  readonly unnoticed: readonly Unnoticed[];
  readonly brittle: readonly Brittle[];
}

export interface DoubtChoices {
  readonly candidates: readonly Suggestion[];
  readonly described: DescribedAnswer | undefined;
  readonly later: LaterUses;
  /** What chance begins with anew, each time that it is asked; nothing where the last items are changed. */
  readonly chance: (() => Chance) | undefined;
  /** For what is chosen where there are too many. */
  readonly sample: Chance;
}

/** So many changes are made in one answer; where there are more, chance chooses. */
const mostChanges = 600;

/** Changes an answer in one thing after the other, and looks who notices. */
export async function doubtRequest(request: ReplayedRequest, choices: DoubtChoices): Promise<DoubtedRequest> {
  const { candidates, described, later, chance, sample } = choices;
  const { response } = request.answer;
  const own = [...request.sound];
  const judges = [...own, ...candidates.map(({ judge }) => judge)];
  const changes = () => changesOf(response!, { judges, described, ...(chance && { chance: chance() }) });
  const brittle = await brittleOf(request, own, changes());
  const isBrittle = new Set(brittle.map(({ judge }) => judge));
  const sound = own.filter(judge => !isBrittle.has(judge));
  let possible = 0;
  for (const { kind } of changes()) if (kind !== 'added') possible++;
  const counted = { noticed: 0, byDefinition: 0, carried: 0 };
  const unnoticed: Unnoticed[] = [];
  let tried = 0;
  // Names have to be made by all, whoever is listened to.
  for await (const trial of tryChanges(request, chosen(changes(), possible, sample), request.judges)) {
    tried++;
    const failing = sound.filter(judge => trial.failing.has(judge));
    if (failing.length > 0) {
      counted.noticed++;
      if (failing.every(({ step }) => step === undefined)) counted.byDefinition++;
      continue;
    }
    const changed = changedNames(request, trial);
    if (changed.some(name => later.entersRequest(name, request))) counted.carried++;
    else if (await isNoticedLater(changed, trial, request, later)) counted.noticed++;
    else {
      const remedies = await remediesFor(trial.change, request, candidates);
      if (remedies.length > 0) unnoticed.push({ change: told(trial.change), remedies });
    }
  }
  return { request, tried, possible, ...counted, unnoticed, brittle };
}

function told({ at, kind, words }: Change): Unnoticed['change'] {
  return { at, kind, words };
}

/** What is added nobody should notice. A definition may well say that there is nothing else. */
async function brittleOf(
  request: ReplayedRequest,
  own: readonly Judge[],
  changes: Iterable<Change>,
): Promise<Brittle[]> {
  const found = new Map<Judge, Brittle>();
  const asked = new Set(own.filter(({ step }) => step !== undefined));
  const additions = filtered(changes, ({ kind }) => kind === 'added');
  for await (const { change, failing } of tryChanges(request, additions, request.judges))
    for (const judge of failing)
      if (asked.has(judge) && !found.has(judge)) found.set(judge, { judge, at: change.at });
  return [...found.values()];
}

function* filtered(changes: Iterable<Change>, isMeant: (change: Change) => boolean): Generator<Change> {
  for (const change of changes) if (isMeant(change)) yield change;
}

/** All but additions; of too many of them as many as there may be, each as likely as the others. */
function* chosen(changes: Iterable<Change>, possible: number, sample: Chance): Generator<Change> {
  let left = possible;
  let wanted = Math.min(possible, mostChanges);
  for (const change of changes) {
    if (change.kind === 'added') continue;
    if (sample() * left < wanted) {
      wanted--;
      yield change;
    }
    left--;
  }
}

function changedNames({ made }: ReplayedRequest, { names }: Trial): string[] {
  return [...made].flatMap(([name, before]) => {
    if (!names.values.has(name)) return [];
    return isSame(before, names.values.get(name)) ? [] : [name];
  });
}

function isSame(a: Value | undefined, b: Value | undefined): boolean {
  if (a === b) return true;
  if (a === undefined || b === undefined || isOpen(a) || isOpen(b)) return false;
  return kindOf(a) === kindOf(b) && equal(a, b) === true;
}

/** Whether a check that stands further below, or in a later case, fails with names that a changed answer has made. */
async function isNoticedLater(
  changed: readonly string[],
  { names }: Trial,
  request: ReplayedRequest,
  later: LaterUses,
): Promise<boolean> {
  const others = new Set(changed.flatMap(name => later.lookedAtBelow(name, request)));
  for (const { replayed, answer, bound, judges, sound } of others) {
    const known = new Map(bound);
    for (const name of changed) known.set(name, names.lookup(name));
    const run = replayed.runWith(replayed.namesFrom(known));
    run.answer(answer);
    for (const judge of judges) if ((await judge.judge(run)) === 'fails' && sound.has(judge)) return true;
  }
  return false;
}

async function remediesFor(
  change: Change,
  request: ReplayedRequest,
  candidates: readonly Suggestion[],
): Promise<Suggestion[]> {
  const judges = candidates.map(({ judge }) => judge);
  for await (const { failing } of tryChanges(request, [change], judges))
    return candidates.filter(({ judge }) => failing.has(judge));
  return [];
}
