import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { refuseValue, valueFor } from '../../language/templates/render.ts';
import type { Place } from '../../model/place.ts';
import { kindInWords, kindOf } from '../../model/value.ts';
import { defaultTimeout, type Limits, type Timeout } from '../../settings/transport.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { counted } from '../../text/words.ts';
import { writeJson } from '../../values/json-document.ts';
import { textOf } from '../../values/text.ts';
import { type FilledOperation, OperationStep } from '../operation.ts';
import { asked, operationEvent } from '../operation-event.ts';
import type { OperationFault } from '../operation-port.ts';
import { payloadOf } from '../payload.ts';
import { concealParts } from '../redacted-parts.ts';
import type { Repetition } from '../repetition.ts';
import type { StepPreview, StepRun } from '../step.ts';
import type { EndedCommand, OutgoingCommand } from './command-port.ts';
import { CommandView } from './command-view.ts';
import type { CommandVariable } from './read-command.ts';

/** A command, made ready. */
export interface PlannedCommand {
  readonly title: string;
  readonly text: string;
  /** Of the page, from the root of the collection. */
  readonly folder: string;
  readonly lines: boolean;
  readonly variables: readonly CommandVariable[];
  readonly timeout: Timeout;
  readonly limits: Limits;
  /** Whether a check says with what it has to end. */
  readonly speaksOfExit: boolean;
}

interface CarriedOutCommand {
  readonly outgoing: OutgoingCommand;
  readonly ended: EndedCommand;
  /** When, in milliseconds since 1970. */
  readonly at: number;
  readonly cause: 'repeat' | undefined;
  readonly view: CommandView;
}

/** Of what a variable may hold, in bytes. */
const longestValue = 100_000;

/** Runs a command. */
export class CommandStep extends OperationStep {
  readonly kind = 'command';
  readonly operation = 'sh';

  constructor(
    readonly command: PlannedCommand,
    place: Place,
    ...more: [expectsFault: boolean, repetition: Repetition | undefined]
  ) {
    super(place, ...more);
  }

  protected fill(run: StepRun): FilledOperation {
    const { text, folder, timeout, limits } = this.command;
    const outgoing: OutgoingCommand = {
      text,
      folder,
      variables: this.#fillVariables(run.evaluation),
      timeout: timeout.total ?? defaultTimeout,
      limit: limits.output,
    };
    return { attempt: cause => this.#run(run, outgoing, cause) };
  }

  async #run(
    run: StepRun,
    outgoing: OutgoingCommand,
    cause: 'repeat' | undefined,
  ): Promise<OperationFault | undefined> {
    const { ports } = run;
    const at = ports.now();
    const ended = await ports.operations.command.run(outgoing, run.signal);
    const others = run.giveWay();
    if (others) await others;
    const view = new CommandView(ended, this.command.lines);
    this.#tell(run, { outgoing, ended, at, cause, view });
    run.evaluation.answer = {
      response: ended.exit === undefined ? undefined : view,
      sent: () => undefined,
      fault: ended.fault?.kind,
    };
    return ended.fault ?? this.#badExit(ended, view);
  }

  /** Where no check says what it is to be. */
  #badExit({ exit = 0 }: EndedCommand, { remark }: CommandView): OperationFault | undefined {
    if (exit === 0 || this.command.speaksOfExit) return undefined;
    const said = remark === undefined ? '' : `: ${remark.split('\n')[0]!.slice(0, 200)}`;
    return {
      kind: 'exit',
      message: `\`${this.command.title}\` ended with exit code ${exit}${said}. Where that is to be so, a check says it: exit = ${exit}`,
    };
  }

  #tell(run: StepRun, { outgoing, ended, at, cause, view }: CarriedOutCommand): void {
    const isShown = concealParts(run, () => view.document);
    const { exit, output, errors, fault } = ended;
    const most = this.command.limits.record;
    const event = operationEvent(
      run,
      {
        kind: this.kind,
        ...{ place: this.place, at, cause, fault },
        times: { total: toMicrosecond(ended.time) },
        received: output.length + errors.length,
        asked: asked('sh', { ...this.command, most }, outgoing.variables),
        ...(exit !== undefined && {
          answer: {
            code: `exit ${exit}`,
            words: '',
            ...(exit !== 0 && { bad: true }),
            fields: [],
            body: payloadOf(output, most),
          },
        }),
        texts: [
          ...(exit === undefined ? [{ name: 'output', body: payloadOf(output, most) }] : []),
          { name: 'errors', body: payloadOf(errors, most) },
        ],
      },
      isShown,
    );
    run.emit(event);
  }

  /** Throws TemplateError. */
  #fillVariables(context: EvaluationContext): [string, string][] {
    return this.command.variables.map(({ reference, variable }) => {
      const value = valueFor(reference, context);
      const kind = kindOf(value);
      if (kind === 'bytes')
        refuseValue(reference, context, `is ${kindInWords(kind)}, which no variable of a shell can be`);
      const text = textOf(value) ?? writeJson(value);
      if (text.includes('\0'))
        refuseValue(reference, context, 'holds a NUL, which no variable of a shell can');
      const size = Buffer.byteLength(text);
      if (size > longestValue)
        refuseValue(
          reference,
          context,
          `has ${counted(size, 'byte')}, and a variable of a shell may have ${counted(longestValue, 'byte')}`,
        );
      return [variable, text];
    });
  }

  preview(preview: StepPreview): void {
    preview.show(this.place, withReferences => ({
      lines: {
        title: this.command.title,
        fields: withReferences(this.#fillVariables(preview.evaluation)),
        text: this.command.text,
      },
      secrets: [],
    }));
  }
}
