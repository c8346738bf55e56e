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
  readonly change: Pick<Change, 'at' | 'kind'> & { readonly words: string };
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
  /** Checks that hold for the answer, the best first; they take a while to be found. */
  readonly candidates: () => readonly Suggestion[];
  readonly described: DescribedAnswer | undefined;
  readonly later: LaterUses;
  /** Which of the items of a list are changed; nothing where that is the last ones. */
  readonly chance: Chance | undefined;
  /** For what is chosen where there are too many. */
  readonly sample: Chance;
}

/** So many changes are made in one answer; where there are more, chance chooses. */
const mostChanges = 600;

/** Changes an answer in one thing after the other, and looks who notices. */
export function doubtRequest(request: ReplayedRequest, choices: DoubtChoices): DoubtedRequest {
  const tried = TriedRequest.of(request, choices);
  const candidates = tried.unnoticed.length > 0 ? choices.candidates() : [];
  const unnoticed = remedied(tried.unnoticed, candidates, request);
  const { count, possible, noticed, byDefinition, carried, brittle } = tried;
  return { request, tried: count, possible, noticed, byDefinition, carried, unnoticed, brittle };
}

class TriedRequest {
  count = 0;
  possible = 0;
  noticed = 0;
  byDefinition = 0;
  carried = 0;
  brittle: readonly Brittle[] = [];
  readonly unnoticed: Change[] = [];

  private constructor(
    readonly request: ReplayedRequest,
    readonly choices: DoubtChoices,
  ) {}

  static of(request: ReplayedRequest, choices: DoubtChoices): TriedRequest {
    const tried = new TriedRequest(request, choices);
    tried.#tryAll();
    return tried;
  }

  #tryAll(): void {
    const { judges, sound, answer } = this.request;
    const { described, chance, sample } = this.choices;
    const all = [
      ...changesOf(answer.response!, { judges: [...sound], described, ...(chance && { chance }) }),
    ];
    this.brittle = this.#findBrittle(all.filter(({ kind }) => kind === 'added'));
    const isBrittle = new Set(this.brittle.map(({ judge }) => judge));
    const isSound = (judge: Judge) => sound.has(judge) && !isBrittle.has(judge);
    // The definition comes last, so that what it alone notices is known.
    const asked = [...judges.filter(({ step }) => step), ...judges.filter(({ step }) => !step)];
    const changes = all.filter(({ kind }) => kind !== 'added');
    this.possible = changes.length;
    for (const trial of tryChanges(this.request, chosenOf(changes, sample), asked, isSound)) {
      this.count++;
      this.#look(trial, isSound);
    }
  }

  /** What is added nobody should notice. A definition may well say that there is nothing else. */
  #findBrittle(additions: readonly Change[]): Brittle[] {
    const { judges, sound } = this.request;
    const found = new Map<Judge, Brittle>();
    const asked = judges.filter(({ step }) => step !== undefined);
    for (const { change, failing } of tryChanges(this.request, additions, asked))
      for (const judge of failing)
        if (sound.has(judge) && !found.has(judge)) found.set(judge, { judge, at: change.at });
    return [...found.values()];
  }

  #look(trial: Trial, isSound: (judge: Judge) => boolean): void {
    const { request } = this;
    const { later } = this.choices;
    const failing = [...trial.failing].find(isSound);
    if (failing) {
      this.noticed++;
      if (failing.step === undefined) this.byDefinition++;
      return;
    }
    const changed = changedNames(request, trial);
    if (changed.some(name => later.entersRequest(name, request))) this.carried++;
    else if (isNoticedLater(changed, trial, request, later)) this.noticed++;
    else this.unnoticed.push(trial.change);
  }
}

/** Of what went unnoticed, that which a check could notice, with such checks. */
function remedied(
  changes: readonly Change[],
  candidates: readonly Suggestion[],
  request: ReplayedRequest,
): Unnoticed[] {
  const judges = candidates.map(({ judge }) => judge);
  return [...tryChanges(request, changes, judges)].flatMap(({ change: { at, kind, words }, failing }) => {
    const remedies = candidates.filter(({ judge }) => failing.has(judge));
    return remedies.length === 0 ? [] : [{ change: { at, kind, words: words() }, remedies }];
  });
}

/** Of too many changes as many as there may be, each as likely as the others. */
function chosenOf(changes: readonly Change[], sample: Chance): readonly Change[] {
  let wanted = Math.min(changes.length, mostChanges);
  if (wanted === changes.length) return changes;
  return changes.filter((_, at) => {
    const isChosen = sample() * (changes.length - at) < wanted;
    if (isChosen) wanted--;
    return isChosen;
  });
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
function isNoticedLater(
  changed: readonly string[],
  { names }: Trial,
  request: ReplayedRequest,
  later: LaterUses,
): boolean {
  const others = new Set(changed.flatMap(name => later.lookedAtBelow(name, request)));
  for (const { replayed, answer, bound, judges, sound } of others) {
    const known = new Map(bound);
    for (const name of changed) known.set(name, names.lookup(name));
    const run = replayed.runWith(replayed.namesFrom(known));
    run.answer(answer);
    for (const judge of judges) if (judge.judge(run) === 'fails' && sound.has(judge)) return true;
  }
  return false;
}
