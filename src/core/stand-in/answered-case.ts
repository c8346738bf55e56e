import type { Plan, PlannedCase } from '../analysis/plan.ts';
import { descend } from '../language/compile-reference.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import { isObject, Missing, Plain, type Value } from '../model/value.ts';
import { OfflineCaseRun, type OfflineNames, openEntry } from '../replay/offline-case-run.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { Answer, PlannedStep } from '../steps/step.ts';
import { isOpen, OpenValueError } from '../values/open-value.ts';
import { textOf } from '../values/text.ts';
import type { Bindings } from './bindings.ts';
import type { Memory } from './memory.ts';

export type Row = ReadonlyMap<string, Value>;

/** What is known of the names that the examples of a request refer to. */
export interface KnownNames {
  readonly plan: Plan;
  readonly planned: PlannedCase;
  /** What stood before the request: by variables, and by examples above. */
  readonly entries: ReadonlyMap<string, Entry>;
  /** Rows that the case runs for. */
  readonly rows: readonly Row[];
  /** Statements of the case above the request that compute names, and those below that keep any. */
  readonly lets: readonly PlannedStep[];
  readonly keeps: readonly PlannedStep[];
  readonly memory: Memory;
  /** The value of a variable that is computed anew for each answer. Throws TemplateError. */
  resolve(definition: VariableDefinition, evaluation: EvaluationContext): Entry | undefined;
  readonly clockAndRandom: ClockAndRandom;
}

/** A request that came, and the names that an example for it is filled with. */
export class AnsweredCase {
  readonly #names: AnswerNames;
  readonly #run: OfflineCaseRun;

  constructor(
    readonly known: KnownNames,
    readonly bindings: Bindings,
  ) {
    this.#names = new AnswerNames(known, bindings);
    this.#run = new OfflineCaseRun(known.plan, known.planned, this.#names, {
      clockAndRandom: known.clockAndRandom,
    });
    for (const step of known.lets) compute(step, this.#run);
  }

  /** Names without a value are open. */
  get evaluation(): EvaluationContext {
    return this.#run.evaluation;
  }

  /** Whoever asks by what an answer gives will be told what was said here. */
  remember(answer: () => Answer): void {
    const { keeps, memory } = this.known;
    const said = this.#names.said;
    if (keeps.length === 0 || said.size === 0) return;
    this.#run.answer(answer());
    for (const step of keeps) compute(step, this.#run);
    for (const { gives = [] } of keeps)
      for (const { name } of gives) {
        const value = this.#names.computed(name);
        if (value !== undefined && !isOpen(value)) memory.remember(name, value, said);
      }
  }
}

/** What cannot be computed from what came has no value. */
function compute(step: PlannedStep, run: OfflineCaseRun): void {
  try {
    void step.carryOut(run);
  } catch (error) {
    if (!(error instanceof OpenValueError || error instanceof TemplateError)) throw error;
  }
}

class AnswerNames implements OfflineNames {
  readonly #computed = new Map<string, Entry>();
  /** What was said by whoever made what is asked for now. */
  readonly #recalled = new Map<string, Value>();
  readonly #row: Row | undefined;
  readonly #asked = new Map<string, Value>();

  constructor(
    readonly known: KnownNames,
    bindings: Bindings,
  ) {
    for (const [key, value] of bindings.values) {
      this.#ask(key.split('.'), value);
      for (const [name, said] of known.memory.recall(key, value) ?? []) this.#recalled.set(name, said);
    }
    const named = [...bindings.values].filter(([key]) => known.rows[0]?.has(key));
    this.#row =
      known.rows.find(row => named.every(([key, value]) => isSameText(row.get(key), value))) ?? known.rows[0];
  }

  get said(): ReadonlyMap<string, Value> {
    return new Map([...this.#recalled, ...this.#asked]);
  }

  computed(name: string): Value | undefined {
    return this.#computed.get(name)?.value;
  }

  /** What stands for a part of a value is a part of it. */
  #ask([name = '', ...path]: readonly string[], value: Value): void {
    if (path.length === 0) {
      this.#asked.set(name, value);
      return;
    }
    const before = this.#asked.get(name) ?? this.known.entries.get(name)?.value;
    const whole = before !== undefined && !isOpen(before) && isObject(before) ? { ...before } : {};
    let at: { [name: string]: Value } = whole;
    for (const step of path.slice(0, -1)) {
      const next = at[step];
      const copy: { [name: string]: Value } = next !== undefined && isObject(next) ? { ...next } : {};
      at[step] = copy;
      at = copy;
    }
    at[path.at(-1)!] = value;
    this.#asked.set(name, whole);
  }

  give({ name }: Parameters<OfflineNames['give']>[0], entry: Entry): void {
    // What came is what counts.
    if (!this.#asked.has(name)) this.#computed.set(name, entry);
  }

  lookup(name: string, evaluation: EvaluationContext): Entry {
    const { known } = this;
    if (known.plan.secretNames.has(name)) return openEntry;
    const asked = this.#asked.get(name);
    if (asked !== undefined) return { value: asked, origin: 'from the request', secret: false };
    const computed = this.#computed.get(name);
    if (computed && !isOpen(computed.value)) return computed;
    const recalled = this.#recalled.get(name);
    if (recalled !== undefined) return { value: recalled, origin: 'from an earlier request', secret: false };
    const ofRow = this.#row?.get(name);
    if (ofRow !== undefined) return { value: asJsonHas(ofRow), origin: 'from the row', secret: false };
    const entry = known.entries.get(name);
    if (entry && !isOpen(entry.value)) return entry.secret ? openEntry : entry;
    const definition = known.planned.near.get(name) ?? known.planned.outer.get(name);
    if (!definition?.computed) return openEntry;
    return known.resolve(definition, evaluation) ?? openEntry;
  }
}

/** A cell `null` is what a service says where it has no value. */
function asJsonHas(value: Value): Value {
  return value instanceof Plain && !value.quoted && value.text === 'null' ? null : value;
}

function isSameText(a: Value | undefined, b: Value): boolean {
  return a !== undefined && (textOf(a) ?? '') === (textOf(b) ?? '');
}

/** The values that a reference has in rows, or that an entry gives it. */
export function valuesAt(values: readonly Value[], path: readonly string[], name: string): Value[] {
  return values.flatMap(value => {
    const found = descend(value, path, name);
    return found instanceof Missing ? [] : [found];
  });
}
