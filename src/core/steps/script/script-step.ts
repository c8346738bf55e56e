import type { AnswerView } from '../../language/answer-view.ts';
import { type EvaluationContext, isMadeOfSecret } from '../../language/evaluation-context.ts';
import { valueFor } from '../../language/templates/render.ts';
import type { Place } from '../../model/place.ts';
import type { Value } from '../../model/value.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { cut } from '../../values/describe.ts';
import { writeJson } from '../../values/json-document.ts';
import { type FilledOperation, OperationStep } from '../operation.ts';
import { asked, nothing, operationEvent } from '../operation-event.ts';
import { payloadOf } from '../payload.ts';
import type { Repetition } from '../repetition.ts';
import type { StepPreview, StepRun } from '../step.ts';
import type { PlannedScript } from './planned-script.ts';
import type { EndedScript, HandedExchange, OutgoingScript } from './script-port.ts';
import { ScriptReport } from './script-report.ts';
import { pack, unpack } from './transfer.ts';

/** What a script is given, and whether that holds a secret: nothing of what it says is shown then. */
interface FilledScript {
  readonly outgoing: OutgoingScript;
  readonly tainted: boolean;
  /** What it takes, as it is told of. */
  readonly taken: readonly [name: string, value: string][];
}

interface CarriedOutScript {
  readonly filled: FilledScript;
  readonly ended: EndedScript;
  /** When, in milliseconds since 1970. */
  readonly at: number;
  readonly cause: 'repeat' | undefined;
  readonly report: ScriptReport;
}

/** So much of what it is given is told, in characters. */
const longestTold = 200;

/** Carries out a script. It has no answer of its own: what it checks and gives is all that comes of it. */
export class ScriptStep extends OperationStep {
  readonly kind = 'script';
  readonly operation = 'js';
  readonly gives: PlannedScript['gives'];

  constructor(
    readonly script: PlannedScript,
    place: Place,
    repetition: Repetition | undefined,
  ) {
    super(place, false, repetition);
    this.gives = script.gives;
  }

  override get checks(): number {
    return super.checks + (this.script.checksAnything ? 1 : 0);
  }

  protected fill(run: StepRun): FilledOperation {
    let report: ScriptReport | undefined;
    return {
      attempt: async cause => {
        const filled = this.#fill(run);
        const at = run.ports.now();
        const ended = await run.ports.operations.script.run(filled.outgoing, run.signal);
        report = new ScriptReport(this.script, run, ended, filled.tainted);
        this.#keep(run, ended, filled);
        this.#tell(run, { filled, ended, at, cause, report });
        return report.fault;
      },
      // Of a script that is repeated, the checks of the last time count.
      settle: () => report?.tellChecks(),
    };
  }

  /** Throws TemplateError. */
  #fill(run: StepRun): FilledScript {
    const { script } = this;
    const { evaluation } = run;
    const values: { [name: string]: Value } = {};
    for (const reference of script.values) values[reference.name] = valueFor(reference, evaluation);
    const packed = pack(values);
    const { exchange, tainted } = this.#exchange(run);
    const { random, now } = evaluation.clockAndRandom;
    return {
      outgoing: {
        file: script.file,
        text: script.text,
        modules: script.modules,
        values: packed,
        exchange,
        functions: script.functions,
        packages: script.packages,
        now: now(),
        chance: random(),
        limits: script.limits.script,
      },
      tainted: tainted || this.#takesSecret(evaluation) || run.holdsSecret(packed.json),
      taken: script.values.map(({ name }) => [name, toldValue(name, values[name]!, evaluation)]),
    };
  }

  #takesSecret(evaluation: EvaluationContext): boolean {
    return this.script.values.some(({ name }) => isMadeOfSecret(evaluation.lookup(name)));
  }

  /** What it sees of the step above. */
  #exchange(run: StepRun): { exchange: OutgoingScript['exchange']; tainted: boolean } {
    const exchange: { [name: string]: HandedExchange } = {};
    let tainted = false;
    for (const name of this.script.exchange) {
      const view = name === 'answer' ? run.evaluation.response : run.evaluation.sent;
      if (!view) continue;
      const handed = handOver(view);
      const shown = name === 'request' ? withoutCredentials(handed, run) : handed;
      exchange[name] = shown;
      tainted ||= name === 'secretRequest' || holdsSecret(shown, run);
    }
    return { exchange, tainted };
  }

  #keep(run: StepRun, { exports }: EndedScript, { tainted }: FilledScript): void {
    const given = exports === undefined ? {} : (unpack(exports) as { [name: string]: Value });
    for (const each of this.gives) {
      if (Object.hasOwn(given, each.name)) run.names.set(each, given[each.name]!, { secret: tainted });
      else run.names.forget(each);
    }
  }

  #tell(run: StepRun, { filled, ended, at, cause, report }: CarriedOutScript): void {
    const { script } = this;
    const most = script.limits.record;
    const given = ended.exports === undefined ? undefined : unpack(ended.exports);
    const shown = given !== undefined && this.gives.length > 0 && !filled.tainted;
    const fault = report.fault && { kind: report.fault.kind, message: report.fault.message };
    run.emit(
      operationEvent(run, {
        kind: this.kind,
        beside: true,
        ...{ place: this.place, at, cause, fault },
        times: { total: toMicrosecond(ended.time) },
        received: 0,
        asked: asked('js', { title: script.title, text: script.content.text, most }, filled.taken),
        ...(!fault && {
          answer: {
            code: 'done',
            words: report.inWords,
            fields: [],
            body: shown ? payloadOf(Buffer.from(writeJson(given, 2)), most) : nothing,
          },
        }),
        texts: [{ name: 'console', body: payloadOf(Buffer.from(report.console), most) }],
      }),
    );
  }

  preview(preview: StepPreview): void {
    const { evaluation } = preview;
    preview.show(this.place, withReferences => ({
      lines: {
        title: this.script.title,
        fields: withReferences(
          this.script.values.map((reference): [string, string] => [
            reference.name,
            toldValue(reference.name, valueFor(reference, evaluation), evaluation),
          ]),
        ),
        text: this.script.content.text,
      },
      secrets: [],
    }));
    for (const each of this.gives) preview.names.forget(each);
  }
}

function toldValue(name: string, value: Value, evaluation: EvaluationContext): string {
  return isMadeOfSecret(evaluation.lookup(name)) ? '[secret]' : cut(writeJson(value), longestTold);
}

function handOver(view: AnswerView): HandedExchange {
  const { words, document, ...rest } = view.handOver();
  return { ...rest, words: pack(words), ...(document !== undefined && { document: pack(document) }) };
}

const credentials = /^(?:proxy-)?authorization$|^cookie$/i;

/** A request without what it signed in by. */
function withoutCredentials(handed: HandedExchange, run: StepRun): HandedExchange {
  const { words, fields = [] } = handed;
  return {
    ...handed,
    words: { ...words, json: run.mask(words.json) },
    fields: fields.map(([name, value]) => [name, credentials.test(name) ? '[secret]' : run.mask(value)]),
  };
}

function holdsSecret({ words, fields = [], content, document }: HandedExchange, run: StepRun): boolean {
  return (
    run.holdsSecret(words.json) ||
    fields.some(([, value]) => run.holdsSecret(value)) ||
    (content !== undefined && run.holdsSecret(Buffer.from(content).toString('utf8'))) ||
    (document !== undefined && run.holdsSecret(document.json))
  );
}
