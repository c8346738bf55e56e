import type { Held, HeldExchange, Holder } from '../../definition/hold/held-exchange.ts';
import { toJson } from '../../language/documents/schema.ts';
import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { nearestPart } from '../../language/explain.ts';
import { mostDifferences } from '../../language/explain-found.ts';
import type { CheckEvent, DescribedExchange, ExchangeEvent } from '../../model/events.ts';
import type { Exchange, ReceivedResponse } from '../../model/http-messages.ts';
import type { Place } from '../../model/place.ts';
import { Missing } from '../../model/value.ts';
import { originIn } from '../../text/hosts.ts';
import { counted } from '../../text/words.ts';
import { holdsDoublesAlone } from '../../values/json-document.ts';
import type { Answer, StepRun } from '../step.ts';
import { textOfParts } from './exchange-event.ts';
import type { ResponseView } from './response-view.ts';

/** The definition of an API, ready to hold the responses of one request to it. */
export interface PlannedDefinition {
  readonly holder: Holder;
  /** As the settings name it. */
  readonly file: string;
  /** The settings that name it. */
  readonly level: string;
  /** The address that its paths count from; nothing where any is. Throws TemplateError. */
  readonly at: (context: EvaluationContext) => string | undefined;
  readonly place: Place;
  /** What statements below look at in the response, as paths. */
  readonly looked: readonly string[];
}

/** What became of a request: with all exchanges that it took, and what the record says of each; the last one counts. */
export interface HttpAnswer extends Answer {
  readonly told: readonly { readonly exchange: Exchange; readonly event: ExchangeEvent }[];
}

/** Holds the response that counts to a definition, as a check of its own. What could not be held is told as that. */
export function holdAnswer(
  run: StepRun,
  definition: PlannedDefinition,
  { told, response }: HttpAnswer,
): void {
  const { exchange, event } = told.at(-1)!;
  if (told.length > 1) {
    const at = addressOf(definition, exchange, run.evaluation);
    for (const before of told.slice(0, -1)) describeOnly(before, definition, at);
  }
  const held = holdResponse(definition, exchange, response as ResponseView, run.evaluation);
  event.definition = described(held, definition);
  if (held.notHeld !== undefined && held.differences.length === 0) return;
  const check = checkEvent(run, definition);
  if (held.undecided !== undefined || held.differences.length > 0) {
    run.fail();
    Object.assign(check, explained(held, run.evaluation));
  }
  run.emit(check);
}

/** What a definition says of an exchange that came with this response. Throws TemplateError. */
export function holdResponse(
  definition: PlannedDefinition,
  exchange: Exchange,
  view: ResponseView,
  context: EvaluationContext,
  sent?: HeldExchange['sent'],
): Held {
  const at = addressOf(definition, exchange, context);
  return definition.holder.hold({ ...heldExchange(exchange, view.received, sent), body: bodyOf(view) }, at);
}

/** The address that the paths of a definition count from. */
function addressOf({ at }: PlannedDefinition, { request }: Exchange, context: EvaluationContext): string {
  return at(context) ?? originIn(request.url) ?? '';
}

/** What only led to the exchange that counts is not held to anything; what it exercised is noted. */
function describeOnly(
  { exchange, event }: HttpAnswer['told'][number],
  definition: PlannedDefinition,
  at: string,
): void {
  const { response, cause } = exchange;
  if (!response || cause === 'token') return;
  const known = definition.holder.describe(heldExchange(exchange, response), at);
  if (known)
    event.definition = { ...described({ ...known, differences: [], notes: [] }, definition), led: true };
}

function heldExchange(
  { request }: Exchange,
  { status, headers }: ReceivedResponse,
  sent = sentIn(request),
): Omit<HeldExchange, 'body'> {
  const { method, url } = request;
  return { method, url, sent, status, headers };
}

/** What is held of a request; the same, where several responses to it are. */
export function sentIn({ headers, body }: Exchange['request']): HeldExchange['sent'] {
  const isText = body?.every(part => typeof part === 'string');
  return {
    headers,
    hasBody: body !== undefined && body.length > 0,
    ...(body && isText && { body: textOfParts(body) }),
  };
}

function bodyOf(view: ResponseView): HeldExchange['body'] {
  const { received, contentType, unreadable } = view;
  return {
    size: received.size,
    contentType,
    ...(unreadable !== undefined && { unreadable }),
    json() {
      const { document } = view;
      if (document instanceof Missing) return { reason: document.reason };
      return { value: holdsDoublesAlone(view.text) ? document : toJson(document) };
    },
    text() {
      const { body: text } = view;
      return text instanceof Missing ? undefined : text;
    },
  };
}

function described(
  { operation, status, parameters, members, notHeld, notes }: Held,
  { holder, file, looked }: PlannedDefinition,
): DescribedExchange {
  const said: DescribedExchange = { file, hash: holder.hash };
  if (operation !== undefined) said.operation = operation;
  if (status !== undefined) said.status = status;
  if (parameters.length > 0) said.parameters = [...parameters];
  if (members.length > 0) said.sent = [...members];
  if (looked.length > 0 && operation !== undefined) said.looked = [...looked];
  if (notHeld !== undefined) said.notHeld = notHeld;
  if (notes.length > 0) said.notes = notes.map(note => `${note} of ${operation}`);
  return said;
}

function checkEvent({ eventContext }: StepRun, { file, level, place }: PlannedDefinition): CheckEvent {
  const { round, user, case: address, row } = eventContext;
  const text = `as ${file} says`;
  const event: CheckEvent = { type: 'check', round, case: address, place, text, level, holds: 'yes' };
  if (user !== undefined) event.user = user;
  if (row !== undefined) event.row = row;
  return event;
}

/** What was expected and found: of one part in its place, of several one by one. */
function explained(
  { operation, status, differences, undecided }: Held,
  context: EvaluationContext,
): Partial<CheckEvent> {
  const what = operation === undefined ? 'something that is described' : `${operation} as it is described`;
  const expected = status === undefined ? what : `${what} for ${status}`;
  if (undecided !== undefined)
    return { holds: 'unknown', expected, found: `cannot be decided: ${undecided}`, ...nearestPart(context) };
  const told = differences.slice(0, mostDifferences);
  const [first] = told;
  const isSent = first!.at.startsWith('sent ');
  const near = isSent ? {} : nearestPart(context);
  if (told.length === 1)
    return { holds: 'no', at: first!.at, expected: first!.expected, found: first!.found, ...near };
  const found =
    differences.length > told.length
      ? `${counted(told.length, 'part')} that differ, and ${differences.length - told.length} more`
      : `${counted(told.length, 'part')} that differ`;
  return { holds: 'no', expected, found, differences: [...told], ...near };
}
