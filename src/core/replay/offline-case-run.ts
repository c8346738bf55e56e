import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { CheckEvent, RunEvent } from '../model/events.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Place } from '../model/place.ts';
import type { Value } from '../model/value.ts';
import { AnsweredEvaluation } from '../runner/answered-evaluation.ts';
import type { Answer, GivenName, PageNames, PlannedStep, StepRun } from '../steps/step.ts';
import { meetOpen, OpenValueError, openValue } from '../values/open-value.ts';

/** A name whose value nobody knows yet. */
export const openEntry: Entry = { value: openValue, origin: 'known only in a run', secret: false };

/** The names that the steps of a case see and make, as far as they are known. */
export interface OfflineNames {
  lookup(name: string, evaluation: EvaluationContext): Entry;
  /** @param value what it is, also where nobody may see it; nothing where it is not known */
  give(given: Pick<GivenName, 'name' | 'how'>, entry: Entry, value?: Value): void;
}

/** Neither chance nor the clock says anything. */
export const noChance: ClockAndRandom = { now: meetOpen, uuid: meetOpen, random: meetOpen };

/** An answer of which nothing is known: whoever looks at it throws OpenValueError. */
const openAnswer: Answer = { response: openValue as never, sent: meetOpen, fault: undefined };

/** A check that does not hold, or that cannot be decided by what there is. */
export type Broken = Pick<CheckEvent, 'text' | 'expected' | 'found' | 'at'> & { readonly place: Place };

/** What carrying out a step against such an answer comes to. */
export interface Judgement {
  /** Whether the case goes on. */
  readonly goesOn: boolean;
  /** Whether the step met a value that nobody knows, so that it is not judged. */
  readonly isOpen: boolean;
  readonly broken: readonly Broken[];
}

/** What statements find besides answers and names; without it they meet what nobody knows. */
export interface Surroundings {
  readonly clockAndRandom?: ClockAndRandom;
  readonly file?: ExternalSources['bytes'];
}

const neverAborted = new AbortController().signal;

/** Carries out the steps of a case that look at answers, against answers that are given. Nothing is sent. */
export class OfflineCaseRun implements StepRun {
  readonly evaluation: OfflineEvaluation;
  readonly names: PageNames;
  readonly address: string;
  readonly eventContext: StepRun['eventContext'];
  readonly redacted: StepRun['redacted'];
  readonly keepsBodies = false;
  readonly tellsFound = false;
  readonly signal = neverAborted;
  readonly ports: StepRun['ports'] = {
    operations: {} as never,
    now: meetOpen,
    elapsed: () => 0,
    sleep: async () => undefined,
  };
  #broken: Broken[] = [];
  #hasFailed = false;

  constructor(
    plan: Plan,
    { address, namespaces }: Pick<PlannedCase, 'address' | 'namespaces'>,
    names: OfflineNames,
    surroundings: Surroundings = {},
  ) {
    this.evaluation = new OfflineEvaluation(plan, namespaces, names, surroundings);
    this.address = address;
    this.eventContext = { round: 1, case: address };
    this.redacted = plan.redacted;
    this.names = {
      forget: given => names.give(given, openEntry),
      set: (given, value, { secret = false } = {}) => {
        const isSecret = secret || plan.secretNames.has(given.name);
        names.give(given, isSecret ? openEntry : { value, origin: `from ${address}`, secret: false }, value);
      },
    };
  }

  /** Puts an answer before the steps below; without one they meet what nobody knows. */
  answer(answer: Answer = openAnswer): void {
    this.evaluation.answer = answer;
  }

  /** Carries out a statement. */
  judge(step: Pick<PlannedStep, 'carryOut' | 'gives' | 'place' | 'text'>): Judgement {
    this.#broken = [];
    this.#hasFailed = false;
    try {
      const going = step.carryOut(this);
      // What waits has nothing to say of an answer.
      if (typeof going !== 'boolean') going.catch(() => undefined);
      return { goesOn: going !== false, isOpen: false, broken: this.#broken };
    } catch (error) {
      if (!(error instanceof OpenValueError || error instanceof TemplateError)) throw error;
      for (const given of step.gives ?? []) this.names.forget(given);
      // What does not hold for certain may be explained by what nobody knows.
      const { text = '', place } = step;
      return { goesOn: true, isOpen: !this.#hasFailed, broken: this.#hasFailed ? [{ text, place }] : [] };
    }
  }

  fail(): void {
    this.#hasFailed = true;
  }

  whereTold(): void {}

  emit(event: RunEvent): void {
    if (event.type === 'check' && event.holds !== 'yes') this.#broken.push(event);
  }

  stop(): false {
    return false;
  }

  skip(): false {
    return false;
  }

  readonly holdsSecret = (): boolean => false;

  mask(text: string): string {
    return text;
  }

  pageState(): undefined {
    return undefined;
  }

  giveWay(): undefined {
    return undefined;
  }

  conceal(): void {}
  flush(): void {}
  noteStatus(): void {}
}

/** What statements see of a given answer. */
class OfflineEvaluation extends AnsweredEvaluation {
  readonly file: ExternalSources['bytes'];

  constructor(
    readonly plan: Plan,
    readonly namespaces: ReadonlyMap<string, string>,
    readonly names: OfflineNames,
    { clockAndRandom = noChance, file = meetOpen }: Surroundings,
  ) {
    super(clockAndRandom);
    this.file = file;
  }

  schema(name: string, from: string) {
    return this.plan.schemaOf(name, from);
  }

  lookup(name: string): Entry {
    return this.names.lookup(name, this);
  }
}
