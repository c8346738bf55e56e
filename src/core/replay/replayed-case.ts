import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Place } from '../model/place.ts';
import type { Value } from '../model/value.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import type { PlannedStep } from '../steps/step.ts';
import { type Judge, judgeOfDefinition, judgeOfStep, type Verdict } from './judge.ts';
import { OfflineCaseRun, openEntry } from './offline-case-run.ts';
import type { RecordedCase } from './recorded-case.ts';
import type { RecordedAnswer } from './recorded-exchange.ts';
import { isAsTold, type KnownNames, ReplayedNames, recordedEntry } from './recorded-names.ts';

/** A request of a case that has passed, and all that looks at what came. */
export interface ReplayedRequest {
  readonly replayed: ReplayedCase;
  readonly step: HttpStep;
  readonly answer: RecordedAnswer;
  /** Names that had a value when the answer came. */
  readonly bound: KnownNames;
  /** In the order in which they are carried out: up to the next operation. */
  readonly judges: readonly Judge[];
  /** Those that hold for what was recorded. */
  readonly sound: Set<Judge>;
  /** What they made of it, also where nobody may see it. */
  made: ReadonlyMap<string, Value | undefined>;
}

/** What does not give what was recorded, and why. */
export interface LeftOutStep {
  readonly place: Place;
  readonly text: string;
  readonly reason: string;
}

/** What statements find besides the answer. */
export interface Replaying {
  /** What they draw from; the time is that of the answer. */
  readonly chance: ClockAndRandom;
  /** The bytes of a file of the collection. */
  readonly file: ExternalSources['bytes'];
}

/** Carries out the steps of a case that has passed, against the answers that its record holds. */
export class ReplayedCase {
  readonly requests: ReplayedRequest[] = [];
  readonly leftOut: LeftOutStep[] = [];
  /** Names that it has made. */
  made: KnownNames = new Map();
  /** What was made by chance or by a clock, and is as the record tells it. */
  readonly #fixed = new Map<string, Entry>();
  readonly #clockAndRandom: ClockAndRandom;
  readonly #file: Replaying['file'];

  private constructor(
    readonly plan: Plan,
    readonly recorded: RecordedCase,
    { chance, file }: Replaying,
  ) {
    const [first] = recorded.answers.values();
    this.#clockAndRandom = { ...chance, now: () => first?.at ?? 0 };
    this.#file = file;
  }

  static of(plan: Plan, recorded: RecordedCase, replaying: Replaying): ReplayedCase {
    const replayed = new ReplayedCase(plan, recorded, replaying);
    replayed.#carryOut();
    return replayed;
  }

  /** Carries out what looks at an answer, with names that have a value. */
  runWith(names: ReplayedNames): OfflineCaseRun {
    return new OfflineCaseRun(this.plan, this.recorded.planned, names, {
      clockAndRandom: this.#clockAndRandom,
      file: this.#file,
    });
  }

  /** The names that the statements below an answer begin with. */
  namesFrom(known: KnownNames): ReplayedNames {
    return new ReplayedNames(known, this.#fixed);
  }

  #carryOut(): void {
    const { planned, answers, known } = this.recorded;
    const names = new ReplayedNames(known, this.#fixed);
    const run = this.runWith(names);
    let request: ReplayedRequest | undefined;
    let operation: PlannedStep | undefined;
    for (const step of planned.steps) {
      // What a script leaves is before the statements still.
      if (step.kind === 'script') continue;
      if (step.operation === undefined) {
        const judge = request?.judges.find(each => each.step === step) ?? judgeOfStep(step);
        this.#tryOut(judge, run, names, { request, operation });
        continue;
      }
      if (request) request.made = new Map(names.values);
      operation = step;
      const answer = answers.get(step);
      run.answer(answer);
      request = answer && step instanceof HttpStep ? this.#request(step, answer, names) : undefined;
      if (!request) continue;
      this.requests.push(request);
      for (const judge of request.judges)
        if (!judge.step || judge.step === (step as HttpStep).repetition?.until)
          this.#tryOut(judge, run, names, { request, operation });
    }
    if (request) request.made = new Map(names.values);
    this.made = names.made;
  }

  #request(step: HttpStep, answer: RecordedAnswer, names: ReplayedNames): ReplayedRequest {
    return {
      replayed: this,
      step,
      answer,
      bound: new Map([...names.known, ...names.made]),
      judges: judgesFor(step, this.recorded.planned, answer),
      sound: new Set(),
      made: new Map(),
    };
  }

  #tryOut(
    judge: Judge,
    run: OfflineCaseRun,
    names: ReplayedNames,
    { request, operation }: { request: ReplayedRequest | undefined; operation: PlannedStep | undefined },
  ): void {
    const verdict = judge.judge(run);
    for (const { name } of judge.step?.gives ?? []) this.#settle(name, names);
    const isAsItWas = judge.step?.gives?.every(({ name }) => this.#fixed.has(name)) === true;
    if (verdict === 'holds' || isAsItWas) request?.sound.add(judge);
    else if (judge.text !== '') {
      const { place, text } = judge;
      this.leftOut.push({ place, text, reason: this.#reasonFor(verdict, judge, operation) });
    }
  }

  /** What is made must be what the record tells; what chance or a clock has made is taken from there. */
  #settle(name: string, names: ReplayedNames): void {
    const { made, planned } = this.recorded;
    const makers = planned.steps.flatMap(({ gives = [] }) => gives.filter(each => each.name === name));
    const told = made.get(name);
    // Of a name that is made several times the record tells the last value alone.
    if (!told || makers.length > 1) return;
    const entry = names.made.get(name);
    if (entry && entry !== openEntry && isAsTold(entry, told)) return;
    const recorded = recordedEntry(told);
    names.made.set(name, recorded);
    if (makers[0]?.how !== 'let' || recorded === openEntry) return;
    this.#fixed.set(name, recorded);
    names.values.set(name, recorded.value);
  }

  #reasonFor(
    verdict: Exclude<Verdict, 'holds'>,
    { text, step }: Judge,
    operation: PlannedStep | undefined,
  ): string {
    if (operation && !(operation instanceof HttpStep))
      return `it looks at what a ${operation.kind} gave, which is not carried out again`;
    if (verdict === 'open') return 'it needs a value that is masked on record, or not there';
    const isKnown = !step || this.recorded.checks.some(check => check.text === text);
    return isKnown || step.kind !== 'check'
      ? 'what it looks at is masked or cut on record'
      : 'the page has changed since the run, and it does not hold for what came then';
  }
}

/**
 * All that looks at what came of a request, in the order in which it is carried out.
 * @param answer where the definition of the API is asked too
 */
export function judgesFor(
  step: HttpStep,
  { steps }: Pick<PlannedCase, 'steps'>,
  answer: RecordedAnswer | undefined,
): Judge[] {
  const { definition, repetition } = step;
  return [
    ...(repetition ? [judgeOfStep(repetition.until)] : []),
    ...(definition && answer?.response ? [judgeOfDefinition(definition, answer.exchange)] : []),
    ...statementsBelow(step, steps).map(judgeOfStep),
  ];
}

/** Up to the next operation that has an answer of its own. */
function statementsBelow(step: PlannedStep, steps: readonly PlannedStep[]): PlannedStep[] {
  const below = steps.slice(steps.indexOf(step) + 1);
  const next = below.findIndex(({ operation, kind }) => operation !== undefined && kind !== 'script');
  return below.slice(0, next < 0 ? undefined : next).filter(({ operation }) => operation === undefined);
}
