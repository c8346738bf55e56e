import { explain, nearestPart } from '../language/explain.ts';
import { ResponseView } from '../language/response.ts';
import type {
  Checking,
  Keeping,
  Letting,
  Place,
  PlannedCase,
  PlannedStep,
  Sending,
  Waiting,
} from '../plan/plan.ts';
import type { CaseEvent, CheckEvent, Outcome, RunEvent } from '../record/events.ts';
import { Misfit } from '../template/render.ts';
import { plainAs } from '../values/compare.ts';
import { textOf } from '../values/text.ts';
import { Duration, type Found, Missing, Plain } from '../values/value.ts';
import { canBeExpected, exchangeEvent, surroundingsOf } from './exchange.ts';
import { type Filled, fillRequest } from './fill.ts';
import type { Ended, RunContext } from './run.ts';
import { CaseScene, type PassScope } from './scope.ts';
import { toMicrosecond } from './time.ts';

/** Carries out one case: its steps in the order in which they are written. */
export class CaseRunner {
  readonly #scene: CaseScene;
  #outcome: Outcome = 'passed';
  #problem: CaseEvent['problem'];
  #status: number | undefined;
  readonly #made = new Set<string>();
  /** Events wait here until all that looks at their response has run: a value in it may yet be kept as a secret. */
  #waiting: RunEvent[] = [];

  constructor(
    readonly planned: PlannedCase,
    readonly round: number,
    readonly scope: PassScope,
    readonly ended: Ended,
    readonly context: RunContext,
  ) {
    this.#scene = new CaseScene(scope, planned, context.ports, context.ports.environment);
  }

  async run(): Promise<void> {
    const { ports } = this.context;
    const begin = ports.elapsed();
    const blocked = this.#blocked();
    if (blocked) this.#outcome = blocked.outcome;
    else for (const step of this.planned.steps) if (!(await this.#step(step))) break;
    this.#forgetNotMade();
    const { address, title, place, request } = this.planned;
    const event: CaseEvent = {
      type: 'case',
      round: this.round,
      case: address,
      title,
      place,
      ...(request !== undefined && { request }),
      ...(this.#status !== undefined && { status: this.#status }),
      outcome: this.#outcome,
      time: toMicrosecond(ports.elapsed() - begin),
      ...(this.#problem && { problem: this.#problem }),
      ...(blocked && { blocked: blocked.blocked }),
    };
    this.ended.set(address, event);
    this.#emit(event);
    this.#tell();
  }

  /** A name that this case was to make and has not made does not keep the value that an earlier case gave it. */
  #forgetNotMade(): void {
    for (const step of this.planned.steps) {
      if ((step.kind === 'keep' || step.kind === 'let') && !this.#made.has(step.name)) this.#forget(step);
    }
  }

  #forget({ kind, name }: Keeping | Letting): void {
    this.scope.page.delete(name);
    if (kind === 'keep') this.scope.kept.delete(name);
  }

  #emit(event: RunEvent): void {
    this.#waiting.push(event);
  }

  #tell(): void {
    for (const event of this.#waiting) this.context.emit(event);
    this.#waiting = [];
  }

  /** A case is blocked where a name that it needs did not come about; skipped, where its producer was skipped. */
  #blocked(): { outcome: Outcome; blocked: NonNullable<CaseEvent['blocked']> } | undefined {
    for (const { name, ownPage, producers } of this.planned.needs) {
      if ((ownPage ? this.scope.page : this.scope.kept).has(name)) continue;
      const by = producers.findLast(address => this.ended.has(address)) ?? producers[0]!;
      const producer = this.ended.get(by);
      const cause = producer?.blocked?.cause ?? by;
      return {
        outcome: producer?.outcome === 'skipped' ? 'skipped' : 'blocked',
        blocked: { name, by, cause },
      };
    }
    return undefined;
  }

  /** False when the case cannot go on. */
  #step(step: PlannedStep): boolean | Promise<boolean> {
    try {
      switch (step.kind) {
        case 'send':
          return this.#send(step, fillRequest(step, this.#scene, this.scope.jar));
        case 'check':
          // What a level wants of responses is not asked where none came.
          if (step.level === undefined || this.#scene.response) this.#check(step);
          return true;
        case 'keep':
          this.#keep(step);
          return true;
        case 'let':
          return this.#let(step);
        case 'wait':
          return this.#wait(step);
        default:
          return step satisfies never;
      }
    } catch (error) {
      if (error instanceof Misfit) return this.#stop(error.message, step.place);
      // The one way in which a document from outside can exhaust the stack.
      if (error instanceof RangeError)
        return this.#stop('The response is nested too deeply to be looked at.', step.place);
      throw error;
    }
  }

  #stop(message: string, place: Place): false {
    // After a keep that failed, what follows from it is no error of its own.
    if (this.#outcome === 'passed') this.#outcome = 'error';
    this.#problem = { message, place };
    return false;
  }

  async #send(step: Sending, { request, secrets }: Filled): Promise<boolean> {
    const { ports, options, masker } = this.context;
    const scene = this.#scene;
    for (const secret of secrets) masker.addValue(secret, 'passing');
    this.#tell();
    const at = ports.now();
    const { exchanges, secrets: found } = await ports.send(request, options.signal);
    if (found) for (const secret of found) masker.addValue(secret, 'lasting');
    let begin = at;
    for (const exchange of exchanges) {
      this.#emit(
        exchangeEvent(this.#source, step.place, exchange, begin, options.bodies, request.limits.record),
      );
      begin += Math.round(exchange.times.total);
    }
    const { response, fault } = exchanges.at(-1)!;
    scene.exchanges = exchanges;
    scene.response = response && new ResponseView(response, surroundingsOf(exchanges));
    if (fault)
      return step.expectsFault && canBeExpected(fault.kind) ? true : this.#stop(fault.message, step.place);
    this.#status ??= response!.status;
    return true;
  }

  get #source() {
    return { round: this.round, case: this.planned.address };
  }

  #check(step: Checking): void {
    const scene = this.#scene;
    if (scene.notes.length > 0) scene.notes = [];
    const truth = step.decide(scene);
    const event = this.#checkEvent(step, truth === true ? 'yes' : truth === false ? 'no' : 'unknown');
    if (truth !== true) {
      this.#fail();
      Object.assign(event, explain(step.condition, scene.notes, step.text, scene));
    }
    this.#emit(event);
  }

  /** Made for every check of every response, so without copies of copies. */
  #checkEvent({ place, text, label, level }: Checking, holds: CheckEvent['holds']): CheckEvent {
    const event: CheckEvent = {
      type: 'check',
      round: this.round,
      case: this.planned.address,
      place,
      text,
      holds,
    };
    const words = label?.(this.#scene);
    if (typeof words === 'string') event.label = words;
    if (level !== undefined) event.level = level;
    return event;
  }

  #fail(): void {
    if (this.#outcome === 'passed') this.#outcome = 'failed';
  }

  /** A value that is not there is a failed check: the cases that need the name are blocked by it. */
  #keep(step: Keeping): void {
    const value = step.evaluate(this.#scene);
    const base = {
      type: 'check',
      round: this.round,
      case: this.planned.address,
      place: step.place,
      text: step.text,
    } as const;
    if (value instanceof Missing) {
      this.#fail();
      this.#forget(step);
      const { nearest } = nearestPart(this.#scene);
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
    this.scope.page.set(step.name, entry);
    this.scope.kept.set(step.name, entry);
  }

  #let(step: Letting): boolean {
    const value = step.evaluate(this.#scene);
    if (value instanceof Missing) return this.#stop(`${step.text}: ${value.reason}.`, step.place);
    const entry = { value, origin: `computed in ${this.planned.address}`, secret: this.#revealsSecret(step) };
    if (entry.secret) this.context.masker.addValue(value, 'passing');
    this.#made.add(step.name);
    this.scope.page.set(step.name, entry);
    return true;
  }

  /** What is computed from a secret is one, and so is what bears the name of one. */
  #revealsSecret({ name, reveals }: Pick<Keeping, 'name' | 'reveals'>): boolean {
    return this.scope.isSecret(name) || reveals.some(each => this.#scene.lookup(each)?.secret === true);
  }

  async #wait(step: Waiting): Promise<boolean> {
    const value = asDuration(step.evaluate(this.#scene));
    if (value instanceof Missing) return this.#stop(`${step.text}: ${value.reason}.`, step.place);
    await this.context.ports.sleep(value.milliseconds, this.context.options.signal);
    return true;
  }
}

function asDuration(value: Found): Duration | Missing {
  const read = value instanceof Plain ? plainAs(value, 'duration') : value;
  if (read instanceof Duration || read instanceof Missing) return read;
  return new Missing(`'${textOf(read) ?? 'it'}' is no duration; write for example wait 2 s`);
}
