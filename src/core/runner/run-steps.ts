import type {
  CheckStep,
  HttpStep,
  KeepStep,
  LetStep,
  PlannedCase,
  PlannedStep,
  Repetition,
  SkipStep,
  WaitStep,
} from '../analysis/plan.ts';
import type { Evaluate } from '../language/compile-reference.ts';
import { isMadeOfSecret } from '../language/evaluation-context.ts';
import { explain, nearestPart } from '../language/explain.ts';
import { ResponseView } from '../language/response.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { CaseEvent, CheckEvent, Outcome, RunEvent } from '../model/events.ts';
import type { Fault } from '../model/http.ts';
import type { Place } from '../model/place.ts';
import { Duration, type Found, Missing, Plain } from '../model/value.ts';
import { canBeExpected, exchangeEvent, rolesOf, surroundingsOf } from '../steps/http/exchange-event.ts';
import { type Filled, fillRequest } from '../steps/http/fill-request.ts';
import type { OutgoingRequest } from '../steps/http/http-port.ts';
import { redactedIn } from '../steps/http/redact.ts';
import { decideInTime, evaluateInTime } from '../steps/statement-timeout.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';
import { plainAs } from '../values/compare.ts';
import { textOf } from '../values/text.ts';
import { caseEvent } from './case-event.ts';
import type { EventContext, RunContext } from './iteration.ts';
import { CaseEvaluation, type PageScope } from './scope.ts';

/** So long, in milliseconds, statements may look at a response before anything else gets its turn. */
const longLook = 100;

/** Carries out the steps of a case once, in the order in which they are written. */
export class StepRunner {
  readonly #evaluation: CaseEvaluation;
  /** What every event of the case says. */
  readonly #source: EventContext & { case: string; row?: number };
  #outcome: Outcome = 'passed';
  #problem: CaseEvent['problem'];
  #status: number | undefined;
  #because: string | undefined;
  #lookedSince = 0;
  readonly #made = new Set<string>();
  /** Events wait here until all that looks at their response has run: a value in it may yet be kept as a secret. */
  #waiting: RunEvent[] = [];

  constructor(
    readonly planned: PlannedCase,
    readonly scope: PageScope,
    readonly context: RunContext,
    readonly row?: CaseEvent['row'],
  ) {
    this.#evaluation = new CaseEvaluation(scope, planned, context.clockAndRandom);
    const { round, user } = context.eventContext;
    this.#source =
      user === undefined ? { round, case: planned.address } : { round, user, case: planned.address };
    if (row) this.#source.row = row.number;
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
          this.#stop('The run was interrupted while this case looked at a response.', this.planned.place);
          break;
        }
      }
    }
    this.#forgetNotMade();
    const failed = this.#outcome === 'failed' || this.#outcome === 'error';
    const prose = failed ? this.context.proseOf(this.planned) : undefined;
    const event = caseEvent(this.planned, this.context.eventContext, this.#outcome);
    event.at = at;
    event.time = toMicrosecond(ports.elapsed() - begin);
    if (this.#status !== undefined) event.status = this.#status;
    if (this.row) event.row = this.row;
    if (this.#problem) event.problem = this.#problem;
    if (this.#because !== undefined) event.because = this.#because;
    if (prose !== undefined) event.prose = prose;
    this.#emit(event);
    this.#tell();
    return event;
  }

  /** A name that this case was to make and has not made does not keep the value that an earlier case gave it. */
  #forgetNotMade(): void {
    for (const step of this.planned.steps) {
      if ((step.kind === 'keep' || step.kind === 'let') && !this.#made.has(step.name))
        this.scope.forget(step);
    }
  }

  #emit(event: RunEvent): void {
    this.#waiting.push(event);
  }

  #tell(): void {
    for (const event of this.#waiting) this.context.emit(event);
    this.#waiting = [];
  }

  /** False when the case cannot go on. */
  #step(step: PlannedStep): boolean | Promise<boolean> {
    try {
      const going = this.#executeRun(step);
      return going instanceof Promise ? going.catch(error => this.#caught(error, step)) : going;
    } catch (error) {
      return this.#caught(error, step);
    }
  }

  #executeRun(step: PlannedStep): boolean | Promise<boolean> {
    switch (step.kind) {
      case 'http':
        return this.#send(
          step,
          fillRequest(step, this.#evaluation, this.scope.jar, this.context.masker.holdsSecret),
        );
      case 'check':
        // What a level wants of responses is not asked where none came.
        if (step.level === undefined || this.#evaluation.response) this.#check(step);
        return true;
      case 'keep':
        this.#keep(step);
        return true;
      case 'let':
        return this.#let(step);
      case 'wait':
        return this.#wait(step);
      case 'skip':
        return this.#skip(step);
      default:
        return step satisfies never;
    }
  }

  #caught(error: unknown, step: PlannedStep): false {
    const { place } = step.kind === 'skip' ? step.when : step;
    if (error instanceof TemplateError) return this.#stop(error.message, place);
    // The one way in which a document from outside can exhaust the stack.
    if (error instanceof RangeError)
      return this.#stop('The response is nested too deeply to be looked at.', place);
    throw error;
  }

  #stop(message: string, place: Place): false {
    // After a keep that failed, what follows from it is no error of its own.
    if (this.#outcome === 'passed') this.#outcome = 'error';
    this.#problem = { message, place };
    return false;
  }

  async #send(step: HttpStep, { request, secrets }: Filled): Promise<boolean> {
    const { ports, masker } = this.context;
    for (const secret of secrets) masker.addValue(secret, 'passing');
    this.#tell();
    const times = step.repeat && this.#timesOf(step.repeat);
    const begin = ports.elapsed();
    let fault = await this.#exchange(step, request);
    if (step.repeat)
      fault = await this.#repeat(step, step.repeat.until, request, { ...times!, begin }, fault);
    if (fault)
      return step.expectsFault && canBeExpected(fault.kind) ? true : this.#stop(fault.message, step.place);
    this.#status ??= this.#evaluation.response!.received.status;
    return true;
  }

  /** Sends a request and puts what came of it before the statements below. */
  async #exchange(step: HttpStep, request: OutgoingRequest, cause?: 'repeat'): Promise<Fault | undefined> {
    const { ports, options, masker, signal } = this.context;
    const evaluation = this.#evaluation;
    const at = ports.now();
    const { exchanges, secrets: found } = await ports.send(request, signal);
    // What else has come is to be read before this is looked at: looking takes time, which would be told as theirs.
    if (this.context.queue) await this.context.queue.next();
    if (found) for (const secret of found) masker.addValue(secret, 'lasting');
    const { plan } = this.scope.iteration;
    const kept = { bodies: options.bodies, most: request.limits.record, redacted: plan.redacted.headers };
    const roles = rolesOf(exchanges);
    let begin = at;
    for (const [index, exchange] of exchanges.entries()) {
      const told = cause && exchange.cause === undefined ? { ...exchange, cause } : exchange;
      const redacted = redactedIn(exchange, plan.redacted);
      for (const value of redacted ?? []) masker.addValue(value, 'passing');
      const shown = redacted ? kept : { ...kept, bodies: false };
      const event = exchangeEvent(this.#source, step.place, told, exchange.at ?? begin, shown);
      begin += Math.round(exchange.times.total);
      this.#emit(Object.assign(event, roles[index]));
    }
    const { response, fault, firstFault } = exchanges.at(-1)!;
    evaluation.exchanges = exchanges;
    const { whole } = roles.at(-1)!;
    const timed = response && whole !== undefined ? { ...response, time: whole } : response;
    evaluation.response = timed && new ResponseView(timed, surroundingsOf(exchanges));
    return firstFault ?? fault;
  }

  /** In milliseconds. Throws TemplateError. */
  #timesOf({ every, limit, until }: Repetition): { every: number; limit: number } {
    const read = (evaluate: Evaluate) => {
      const value = asDuration(evaluate(this.#evaluation));
      if (value instanceof Missing) throw new TemplateError(`${until.text}: ${value.reason}.`);
      return value.milliseconds;
    };
    return { every: read(every), limit: read(limit) };
  }

  /** Sends it again until its condition holds, or its time is over. A fault on the way means: not yet. */
  async #repeat(
    step: HttpStep,
    until: CheckStep,
    request: OutgoingRequest,
    { every, limit, begin }: { every: number; limit: number; begin: number },
    first: Fault | undefined,
  ): Promise<Fault | undefined> {
    const { ports, signal } = this.context;
    let fault = first;
    for (;;) {
      this.#evaluation.notes = [];
      this.#evaluation.drawn = undefined;
      const holds =
        (fault === undefined || step.expectsFault) && decideInTime(until, this.#evaluation) === true;
      const over = ports.elapsed() - begin + every > limit;
      if (holds || over || signal.aborted || fault?.kind === 'unsendable') break;
      await ports.sleep(every, signal);
      if (signal.aborted) break;
      fault = await this.#exchange(step, request, 'repeat');
    }
    if (fault === undefined || step.expectsFault) this.#check(until);
    return fault;
  }

  #check(step: CheckStep): void {
    const evaluation = this.#evaluation;
    if (evaluation.notes.length > 0) evaluation.notes = [];
    evaluation.drawn = undefined;
    const truth = decideInTime(step, evaluation);
    const event = this.#checkEvent(step, truth === true ? 'yes' : truth === false ? 'no' : 'unknown');
    if (truth !== true) {
      this.#fail();
      Object.assign(event, explain(step.condition, evaluation.notes, step.text, evaluation));
    }
    this.#emit(event);
  }

  /** After a response that takes long to be looked at, an interrupt is heard before the next statement. */
  async #breathe(): Promise<void> {
    await new Promise(resume => setImmediate(resume));
    this.#lookedSince = this.context.ports.elapsed();
  }

  /** Made for every check of every response, so without copies of copies. */
  #checkEvent({ place, text, label, level }: CheckStep, holds: CheckEvent['holds']): CheckEvent {
    const { round, user, case: address, row } = this.#source;
    const event: CheckEvent = { type: 'check', round, case: address, place, text, holds };
    if (user !== undefined) event.user = user;
    if (row !== undefined) event.row = row;
    const words = label?.(this.#evaluation);
    if (typeof words === 'string') event.label = words;
    if (level !== undefined) event.level = level;
    return event;
  }

  #fail(): void {
    if (this.#outcome === 'passed') this.#outcome = 'failed';
  }

  /** A value that is not there is a failed check: the cases that need the name are blocked by it. */
  #keep(step: KeepStep): void {
    const value = evaluateInTime(step, this.#evaluation);
    const base = { type: 'check', ...this.#source, place: step.place, text: step.text } as const;
    if (value instanceof Missing) {
      this.#fail();
      this.scope.forget(step);
      const { nearest } = nearestPart(this.#evaluation);
      const failed: CheckEvent = {
        ...base,
        holds: 'no',
        expected: `a value for '${step.name}'`,
        found: `nothing: ${value.reason}`,
      };
      this.#emit(nearest === undefined ? failed : { ...failed, nearest });
      return;
    }
    const entry = {
      value,
      origin: `kept in ${this.planned.address}`,
      secret: step.secret || this.#revealsSecret(step),
    };
    if (entry.secret) this.context.masker.addValue(value, 'passing');
    this.#made.add(step.name);
    this.scope.names.set(step.name, entry);
    this.scope.kept.set(step.name, entry);
  }

  #let(step: LetStep): boolean {
    const value = evaluateInTime(step, this.#evaluation);
    if (value instanceof Missing) return this.#stop(`${step.text}: ${value.reason}.`, step.place);
    const entry = { value, origin: `computed in ${this.planned.address}`, secret: this.#revealsSecret(step) };
    if (entry.secret) this.context.masker.addValue(value, 'passing');
    this.#made.add(step.name);
    this.scope.names.set(step.name, entry);
    return true;
  }

  /** What is computed from a secret is one, and so is what bears the name of one. */
  #revealsSecret({ name, reveals }: Pick<KeepStep, 'name' | 'reveals'>): boolean {
    return this.scope.isSecret(name) || reveals.some(each => isMadeOfSecret(this.#evaluation.lookup(each)));
  }

  /** Where it cannot be decided, that is a failed check: neither way is right. */
  #skip({ when }: SkipStep): boolean {
    const evaluation = this.#evaluation;
    evaluation.notes = [];
    const truth = decideInTime(when, evaluation);
    if (truth === false) return true;
    if (truth === true) {
      if (this.#outcome === 'passed') this.#outcome = 'skipped';
      this.#because = when.text;
    } else this.#check(when);
    return false;
  }

  async #wait(step: WaitStep): Promise<boolean> {
    const value = asDuration(step.evaluate(this.#evaluation));
    if (value instanceof Missing) return this.#stop(`${step.text}: ${value.reason}.`, step.place);
    await this.context.ports.sleep(value.milliseconds, this.context.signal);
    return true;
  }
}

function asDuration(value: Found): Duration | Missing {
  const read = value instanceof Plain ? plainAs(value, 'duration') : value;
  if (read instanceof Duration || read instanceof Missing) return read;
  return new Missing(`'${textOf(read) ?? 'it'}' is no duration; write for example 2 s`);
}
