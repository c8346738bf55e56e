import type { DescribedAnswer } from '../definition/hold/held-exchange.ts';
import type { Value } from '../model/value.ts';
import { kindOf } from '../model/value.ts';
import type { Chance, Change } from '../replay/changes/change.ts';
import { changesOf } from '../replay/changes/changes.ts';
import type { Judge } from '../replay/judge.ts';
import type { ReplayedRequest } from '../replay/replayed-case.ts';
import { type Trial, tryChanges } from '../replay/try-changes.ts';
import type { Suggestion } from '../suggest/suggest.ts';
import { TimeLimitError, withinOneLimit } from '../text/time-limit.ts';
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

/** In bytes and milliseconds: of a smaller answer, all that is tried shares one limit, since each of its own takes a while. */
const [smallAnswer, limit] = [64 * 1024, 10_000];

/** Changes an answer in one thing after the other, and looks who notices. */
export function doubtRequest(request: ReplayedRequest, choices: DoubtChoices): DoubtedRequest {
  const all = () => new RequestDoubt(request, choices).doubt();
  if (request.answer.response!.weight > smallAnswer) return all();
  try {
    return withinOneLimit(limit, 'what the changes of an answer come to', all);
  } catch (error) {
    if (error instanceof TimeLimitError) return all();
    throw error;
  }
}

class RequestDoubt {
  readonly #own: readonly Judge[];
  readonly #unnoticed: Change[] = [];
  #noticed = 0;
  #byDefinition = 0;
  #carried = 0;

  constructor(
    readonly request: ReplayedRequest,
    readonly choices: DoubtChoices,
  ) {
    this.#own = [...request.sound];
  }

  doubt(): DoubtedRequest {
    const { request } = this;
    const brittle = this.#brittle();
    const isBrittle = new Set(brittle.map(({ judge }) => judge));
    const sound = this.#own.filter(judge => !isBrittle.has(judge));
    let possible = 0;
    for (const { kind } of this.#changes()) if (kind !== 'added') possible++;
    let tried = 0;
    // Names have to be made by all, whoever is listened to.
    for (const trial of tryChanges(request, this.#chosen(possible), request.judges)) {
      tried++;
      this.#count(trial, sound);
    }
    return {
      request,
      tried,
      possible,
      noticed: this.#noticed,
      byDefinition: this.#byDefinition,
      carried: this.#carried,
      unnoticed: this.#remedied(),
      brittle,
    };
  }

  #changes(): Iterable<Change> {
    const { candidates, described, chance } = this.choices;
    const judges = [...this.#own, ...candidates.map(({ judge }) => judge)];
    return changesOf(this.request.answer.response!, {
      judges,
      described,
      ...(chance && { chance: chance() }),
    });
  }

  /** What is added nobody should notice. A definition may well say that there is nothing else. */
  #brittle(): Brittle[] {
    const found = new Map<Judge, Brittle>();
    const asked = new Set(this.#own.filter(({ step }) => step !== undefined));
    const additions = filtered(this.#changes(), ({ kind }) => kind === 'added');
    for (const { change, failing } of tryChanges(this.request, additions, this.request.judges))
      for (const judge of failing)
        if (asked.has(judge) && !found.has(judge)) found.set(judge, { judge, at: change.at });
    return [...found.values()];
  }

  /** All but additions; of too many of them as many as there may be, each as likely as the others. */
  *#chosen(possible: number): Generator<Change> {
    let left = possible;
    let wanted = Math.min(possible, mostChanges);
    for (const change of filtered(this.#changes(), ({ kind }) => kind !== 'added')) {
      if (this.choices.sample() * left < wanted) {
        wanted--;
        yield change;
      }
      left--;
    }
  }

  #count(trial: Trial, sound: readonly Judge[]): void {
    const { request } = this;
    const { later } = this.choices;
    const failing = sound.filter(judge => trial.failing.has(judge));
    if (failing.length > 0) {
      this.#noticed++;
      if (failing.every(({ step }) => step === undefined)) this.#byDefinition++;
      return;
    }
    const changed = changedNames(request, trial);
    if (changed.some(name => later.entersRequest(name, request))) this.#carried++;
    else if (isNoticedLater(changed, trial, request, later)) this.#noticed++;
    else this.#unnoticed.push(trial.change);
  }

  /** Of what went unnoticed, that which a check could notice, with such checks. */
  #remedied(): Unnoticed[] {
    const { candidates } = this.choices;
    const judges = candidates.map(({ judge }) => judge);
    return [...tryChanges(this.request, this.#unnoticed, judges)].flatMap(({ change, failing }) => {
      const remedies = candidates.filter(({ judge }) => failing.has(judge));
      const { at, kind, words } = change;
      return remedies.length === 0 ? [] : [{ change: { at, kind, words }, remedies }];
    });
  }
}

function* filtered(changes: Iterable<Change>, isMeant: (change: Change) => boolean): Generator<Change> {
  for (const change of changes) if (isMeant(change)) yield change;
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
