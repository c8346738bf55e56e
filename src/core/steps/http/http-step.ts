import type { Header } from '../../model/http-messages.ts';
import type { Place } from '../../model/place.ts';
import { type FilledOperation, OperationStep } from '../operation.ts';
import type { OperationFault } from '../operation-port.ts';
import type { Repetition } from '../repetition.ts';
import type { OperationLines, StepPreview, StepRun } from '../step.ts';
import { ExampleComparison } from './example/compare-example.ts';
import { holdToExamples } from './example/hold-to-example.ts';
import type { PlannedExample } from './example/planned-example.ts';
import { addContents, exchangeEvent, factsOf, rolesOf, textOfParts, viewOfSent } from './exchange-event.ts';
import { fillRequest } from './fill-request.ts';
import { type HttpAnswer, holdAnswer, type PlannedDefinition } from './hold-answer.ts';
import type { CookieJar, OutgoingRequest } from './http-port.ts';
import type { PlannedRequest } from './planned-request.ts';
import { redactedIn } from './redact.ts';
import { ResponseView } from './response-view.ts';

/** Sends a request. */
export class HttpStep extends OperationStep {
  readonly kind = 'http';
  readonly operation: string;
  readonly title: string;
  readonly definition: PlannedDefinition | undefined;
  readonly examples: readonly PlannedExample[];
  readonly #comparison: ExampleComparison | undefined;

  constructor(
    readonly request: PlannedRequest,
    place: Place,
    {
      title,
      expectsFault,
      repetition,
      definition,
      examples = [],
    }: {
      /** As it is written, in one line. */
      readonly title: string;
      readonly expectsFault: boolean;
      readonly repetition: Repetition | undefined;
      /** What its last response is held to. */
      readonly definition?: PlannedDefinition | undefined;
      readonly examples?: readonly PlannedExample[];
    },
  ) {
    super(place, expectsFault, repetition);
    this.operation = request.method;
    this.title = title;
    this.definition = definition;
    this.examples = examples;
    if (examples.length > 0) this.#comparison = new ExampleComparison(examples);
  }

  override get checks(): number {
    return super.checks + (this.definition ? 1 : 0);
  }

  protected fill(run: StepRun): FilledOperation {
    const jar = run.pageState('http') as CookieJar | undefined;
    const { request, secrets } = fillRequest(this.request, run.evaluation, jar, run.holdsSecret);
    for (const secret of secrets) run.conceal(secret, 'passing');
    return { attempt: cause => this.#exchange(run, request, cause) };
  }

  protected override onAnswer(run: StepRun): void {
    run.noteStatus((run.evaluation.response as ResponseView).received.status);
    const answer = run.evaluation.answer as HttpAnswer;
    if (this.definition) holdAnswer(run, this.definition, answer);
    run.offer?.(this);
    if (this.#comparison && run.examples)
      holdToExamples(run, this.#comparison, {
        response: answer.response as ResponseView,
        event: answer.told.at(-1)!.event,
      });
  }

  /** Sends a request and puts what came of it before the statements below. */
  async #exchange(
    run: StepRun,
    request: OutgoingRequest,
    cause: 'repeat' | undefined,
  ): Promise<OperationFault | undefined> {
    const { ports, redacted } = run;
    const at = ports.now();
    const { exchanges, secrets } = await ports.operations.http.send(request, run.signal);
    const others = run.giveWay();
    if (others) await others;
    if (secrets) for (const secret of secrets) run.conceal(secret, 'lasting');
    const kept = { most: request.limits.record, redacted: redacted.headers };
    const roles = rolesOf(exchanges);
    let begin = at;
    const told: HttpAnswer['told'][number][] = [];
    for (const [index, exchange] of exchanges.entries()) {
      const caused = cause && exchange.cause === undefined ? { ...exchange, cause } : exchange;
      const hidden = redactedIn(exchange, redacted);
      for (const value of hidden ?? []) run.conceal(value, 'passing');
      const event = exchangeEvent(run.eventContext, { place: this.place, at: exchange.at ?? begin }, caused);
      if (hidden && run.keepsBodies) run.whereTold(() => addContents(event, caused, kept));
      begin += Math.round(exchange.times.total);
      run.emit(Object.assign(event, roles[index]));
      told.push({ exchange, event });
    }
    const { response, fault, firstFault } = exchanges.at(-1)!;
    const { whole } = roles.at(-1)!;
    const timed = response && whole !== undefined ? { ...response, time: whole } : response;
    const answer: HttpAnswer = {
      response: timed && new ResponseView(timed, factsOf(exchanges)),
      sent: () => viewOfSent(exchanges),
      fault: (firstFault ?? fault)?.kind,
      told,
    };
    run.evaluation.answer = answer;
    return firstFault ?? fault;
  }

  preview(preview: StepPreview): void {
    preview.show(this.place, withReferences => {
      const filled = fillRequest(this.request, preview.evaluation);
      const request = withReferences({ ...filled.request, credentials: undefined, retry: undefined });
      // What would take too long to be found hides the whole body.
      const hidden = redactedIn({ request, times: { total: 0 }, received: 0 }, preview.redacted) ?? [
        textOfParts(request.body ?? []),
      ];
      return {
        lines: linesOf(request, withReferences(filled.note)),
        secrets: [...filled.secrets, ...hidden],
      };
    });
  }
}

type Shown = Pick<OutgoingRequest, 'method' | 'url' | 'headers' | 'body'>;

function linesOf(request: Shown, note: Header | undefined): OperationLines {
  const { method, url, headers, body } = request;
  return {
    title: `${method} ${url}`,
    fields: [...hostOf(request), ...headers, ...lengthOf(request)],
    notes: note ? [note] : [],
    ...(body && { text: textOfParts(body) }),
  };
}

/** What is sent as Host, where the address is known and no header says otherwise. */
function hostOf({ url, headers }: Shown): Header[] {
  const host = /^https?:\/\/([^/?#{}]+)(?:[/?#]|$)/i.exec(url)?.[1];
  return host === undefined || headers.some(([name]) => /^host$/i.test(name)) ? [] : [['Host', host]];
}

/** A length that hangs on values that are not known yet is not told. */
function lengthOf({ body }: Shown): Header[] {
  if (!body?.every(part => typeof part === 'string')) return [];
  const text = body.join('');
  return /\{[A-Za-z][\w.-]*\}/.test(text) ? [] : [['Content-Length', String(Buffer.byteLength(text))]];
}
