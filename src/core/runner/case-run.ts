import type { PlannedCase } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { CaseEventContext } from '../model/event-context.ts';
import type { CaseEvent, CaseValue, RunEvent } from '../model/events.ts';
import type { Outcome } from '../model/outcomes.ts';
import type { Place } from '../model/place.ts';
import type { Value } from '../model/value.ts';
import type { PageNames, PlannedStep, Redacted, StepRun } from '../steps/step.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';
import { caseEvent } from './case-event.ts';
import { caseValue } from './case-values.ts';
import type { RunContext } from './run-context.ts';
import type { OfferedAnswer } from './run-options.ts';
import { CaseEvaluation, type PageScope } from './scope.ts';

/** So long, in milliseconds, statements may look at a response before anything else gets its turn. */
const longLook = 100;

/** Carries out the steps of a case once, in the order in which they are written. */
export class CaseRun implements StepRun {
  readonly evaluation: CaseEvaluation;
  readonly eventContext: CaseEventContext;
  #outcome: Outcome = 'passed';
  #problem: CaseEvent['problem'];
  #status: number | undefined;
  #because: string | undefined;
  #lookedSince = 0;
  readonly #made = new Map<string, CaseValue['how']>();
  /** What completes events that are told only if the case does not pass. */
  readonly #untold: (() => void)[] = [];
  /** Events wait here until all that looks at their response has run: a value in it may yet be kept as a secret. */
  #waiting: RunEvent[] = [];
  readonly names: PageNames;
  readonly offer: StepRun['offer'];
  #offered: OfferedAnswer[] = [];

  constructor(
    readonly planned: PlannedCase,
    readonly scope: PageScope,
    readonly context: RunContext,
    readonly row?: CaseEvent['row'],
  ) {
    this.evaluation = new CaseEvaluation(scope, planned, context.clockAndRandom);
    // Made for every case, and copied into every event: objects of one form are much faster than copies of others.
    const { round, user } = context.eventContext;
    const { address } = planned;
    const own: { -readonly [Key in keyof CaseEventContext]: CaseEventContext[Key] } =
      user === undefined ? { round, case: address } : { round, user, case: address };
    if (row) own.row = row.number;
    this.eventContext = own;
    this.offer = context.options.onAnswers && (step => this.#offer(step));
    this.names = {
      forget: given => scope.forget(given),
      set: (given, value, more) => {
        this.#made.set(given.name, given.how === 'keep' ? 'kept' : 'computed');
        scope.make(given, value, { ...more, address: planned.address });
      },
    };
  }

  get address(): string {
    return this.planned.address;
  }

  get ports(): StepRun['ports'] {
    return this.context.ports;
  }

  get signal(): AbortSignal {
    return this.context.signal;
  }

  conceal(value: Value, how: 'lasting' | 'passing'): void {
    this.scope.iteration.values.conceal(value, how);
  }

  mask(text: string): string {
    return this.context.masker.text(text);
  }

  readonly holdsSecret = (text: string): boolean => this.context.masker.holdsSecret(text);

  get redacted(): Redacted {
    return this.scope.iteration.plan.redacted;
  }

  get keepsBodies(): boolean {
    return this.context.options.bodies;
  }

  get tellsFound(): boolean {
    return this.context.options.tellsFound === true;
  }

  get examples(): StepRun['examples'] {
    return this.context.options.examples;
  }

  pageState(kind: string): unknown {
    return this.scope.states.get(kind);
  }

  giveWay(): Promise<void> | undefined {
    const { queue, load } = this.context;
    // Right behind the reading of an answer, and before anything else is done.
    load?.noteLag();
    return queue?.next();
  }

  /** What became of it; the event is told. */
  async run(): Promise<CaseEvent> {
    const { ports } = this.context;
    const [at, begin] = [ports.now(), ports.elapsed()];
    this.#lookedSince = begin;
    for (const step of this.planned.steps) {
      const going = this.#step(step);
      if (!(typeof going === 'boolean' ? going : await going)) break;
      if (typeof going !== 'boolean') this.#lookedSince = ports.elapsed();
      else if (ports.elapsed() - this.#lookedSince > longLook) {
        await this.#breathe();
        if (this.context.signal.aborted) {
          this.stop('The run was interrupted while this case looked at a response.', this.planned.place);
          break;
        }
      }
    }
    this.#forgetNotMade();
    if (this.#outcome !== 'passed' && this.#outcome !== 'skipped')
      for (const complete of this.#untold) complete();
    const event = this.#caseEvent();
    event.at = at;
    event.time = toMicrosecond(ports.elapsed() - begin);
    this.emit(event);
    this.flush();
    if (this.#offered.length > 0 && this.#outcome === 'passed') await this.#tellAnswers();
    return event;
  }

  #offer(step: PlannedStep): void {
    const answer = this.evaluation.answer!;
    this.#offered.push({ step, answer, bound: this.#namesKnown(), offered: this.#namesOffered() });
  }

  #namesOffered(): Map<string, Entry> {
    const { iteration } = this.scope;
    const own = iteration.plan.pages.find(page => page.cases.includes(this.planned));
    return new Map((own?.sources ?? []).flatMap(file => [...(iteration.page(file)?.kept ?? [])]));
  }

  /** Every name that has a value now: made on the page, given by rows, and what else its cases up to this one use. */
  #namesKnown(): Map<string, Entry> {
    const { names, row, pageRow, iteration } = this.scope;
    const known = new Map([
      ...[...names].reverse(),
      ...(row ?? []),
      ...(pageRow ?? []),
      ...(iteration.row ?? []),
    ]);
    const cases = iteration.plan.pages.find(page => page.cases.includes(this.planned))?.cases ?? [];
    const own = cases.indexOf(this.planned);
    for (const each of [this.planned, ...cases.slice(0, own).reverse()])
      for (const name of each.uses) {
        const entry = known.has(name) ? undefined : this.#entryOf(name, each);
        if (entry) known.set(name, entry);
      }
    return known;
  }

  #tellAnswers(): Promise<void> {
    const { planned, scope } = this;
    const secret = new Map([...this.#namesKnown()].filter(([, entry]) => entry.secret));
    const { plan } = scope.iteration;
    const mask = (text: string) => this.mask(text);
    return this.context.options.onAnswers!({ plan, planned, answers: this.#offered, secret, mask });
  }

  #caseEvent(): CaseEvent {
    const failed = this.#outcome === 'failed' || this.#outcome === 'error';
    const prose = failed ? this.context.proseOf(this.planned) : undefined;
    const event = caseEvent(this.planned, this.context.eventContext, this.#outcome);
    if (this.#status !== undefined) event.status = this.#status;
    if (this.row) event.row = this.row;
    if (this.#problem) event.problem = this.#problem;
    if (this.#because !== undefined) event.because = this.#because;
    if (this.keepsBodies && this.#tellsValues()) {
      const values = this.#values();
      if (values.length > 0) event.values = values;
    }
    if (prose !== undefined) event.prose = prose;
    return event;
  }

  /** Of many rounds and users, those of the first and those that did not pass: the others say the same again. */
  #tellsValues(): boolean {
    const { round, user = 1 } = this.context.eventContext;
    return this.#outcome !== 'passed' || (round === 1 && user === 1);
  }

  /** What it made, and what else it used; names that never got a value are none of them. */
  #values(): CaseValue[] {
    const { masker } = this.context;
    const values: CaseValue[] = [];
    for (const [name, how] of this.#made) {
      const entry = this.scope.names.get(name);
      if (entry) values.push(caseValue(name, how, entry, masker));
    }
    for (const name of this.planned.uses) {
      if (this.#made.has(name)) continue;
      const entry = this.#entryOf(name);
      if (entry) values.push(caseValue(name, 'used', entry, masker));
    }
    return values;
  }

  /** What cannot be computed is nobody's value, and has been told where it was used. */
  #entryOf(name: string, user = this.planned): Entry | undefined {
    try {
      return this.scope.lookup(name, user, this.evaluation);
    } catch (error) {
      if (error instanceof TemplateError) return undefined;
      throw error;
    }
  }

  /** A name that this case was to make and has not made does not keep the value that an earlier case gave it. */
  #forgetNotMade(): void {
    for (const { gives } of this.planned.steps)
      if (gives) for (const given of gives) if (!this.#made.has(given.name)) this.scope.forget(given);
  }

  whereTold(complete: () => void): void {
    const { load } = this.context;
    if (load && !load.isSampled) this.#untold.push(complete);
    else complete();
  }

  emit(event: RunEvent): void {
    this.context.load?.mark(event);
    this.#waiting.push(event);
  }

  flush(): void {
    for (const event of this.#waiting) this.context.emit(event);
    this.#waiting = [];
  }

  /** False when the case cannot go on. */
  #step(step: PlannedStep): boolean | Promise<boolean> {
    try {
      const going = step.carryOut(this);
      return going instanceof Promise ? going.catch(error => this.#caught(error, step)) : going;
    } catch (error) {
      return this.#caught(error, step);
    }
  }

  #caught(error: unknown, { place }: PlannedStep): false {
    if (error instanceof TemplateError) return this.stop(error.message, place);
    // The one way in which a document from outside can exhaust the stack.
    if (error instanceof RangeError)
      return this.stop('The response is nested too deeply to be looked at.', place);
    throw error;
  }

  stop(message: string, place: Place, line?: string): false {
    // After a keep that failed, what follows from it is no error of its own.
    if (this.#outcome === 'passed') this.#outcome = 'error';
    this.#problem = line === undefined ? { message, place } : { message, place, line };
    return false;
  }

  fail(): void {
    if (this.#outcome === 'passed') this.#outcome = 'failed';
  }

  skip(because: string): false {
    if (this.#outcome === 'passed') this.#outcome = 'skipped';
    this.#because = because;
    return false;
  }

  noteStatus(status: number): void {
    this.#status ??= status;
  }

  /** After a response that takes long to be looked at, an interrupt is heard before the next statement. */
  async #breathe(): Promise<void> {
    await new Promise(resume => setImmediate(resume));
    this.#lookedSince = this.context.ports.elapsed();
  }
}
