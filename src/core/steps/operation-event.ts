import type { GenericOperationEvent, NamedText, Payload } from '../model/events.ts';
import { payloadOf } from './payload.ts';
import type { StepRun } from './step.ts';

// Operations that are no exchange of HTTP have one form of event.

type Told = Pick<
  GenericOperationEvent,
  'kind' | 'place' | 'at' | 'cause' | 'fault' | 'beside' | 'times' | 'queued'
> & {
  readonly asked: GenericOperationEvent['asked'];
  readonly answer?: GenericOperationEvent['answer'];
  /** Empty ones are not told. */
  readonly texts: readonly NamedText[];
  /** In bytes. */
  readonly received: number;
};

/**
 * What the record says of an operation. Where bodies are not kept, figures alone: nothing is written that could be read.
 * @param shown whether its texts may be shown at all
 */
export function operationEvent(
  { eventContext, keepsBodies }: Pick<StepRun, 'eventContext' | 'keepsBodies'>,
  { kind, place, at, cause, fault, beside, times, queued, asked, answer, texts, received }: Told,
  shown = true,
): GenericOperationEvent {
  const keeps = keepsBodies && shown;
  const event: GenericOperationEvent = {
    type: 'operation',
    ...eventContext,
    at,
    place,
    times,
    received,
    kind,
    asked: keeps ? asked : { verb: asked.verb, target: asked.target, fields: [] },
  };
  if (beside) event.beside = true;
  if (queued !== undefined) event.queued = queued;
  if (cause !== undefined) event.cause = cause;
  if (fault) event.fault = fault;
  if (answer) event.answer = keeps ? answer : { ...answer, fields: [], body: { size: answer.body.size } };
  const told = texts.filter(({ body }) => body.size > 0);
  if (keeps && told.length > 0) event.texts = told;
  return event;
}

/** What was asked: in a line, and the whole text where that says more. */
export function asked(
  verb: string,
  { title, text, most }: { readonly title: string; readonly text: string; readonly most: number },
  fields: readonly (readonly [name: string, value: string])[],
): GenericOperationEvent['asked'] {
  const target = title.slice(verb.length + 1);
  return {
    verb,
    target,
    fields: fields.map(([name, value]) => [name, value]),
    ...(text.trim() !== target && { body: payloadOf(Buffer.from(text.trimEnd()), most) }),
  };
}

/** The empty body of what has none. */
export const nothing: Payload = { size: 0 };

/** So much of a text stands in a line that tells of it, in characters. */
const longestTitle = 60;

/** The first line of a text that says something, for lists and headlines. */
export function firstLine(text: string, isRemark: (line: string) => boolean): string {
  const line =
    text
      .split('\n')
      .map(each => each.trim())
      .find(each => each !== '' && !isRemark(each)) ?? '';
  return line.length <= longestTitle ? line : `${line.slice(0, longestTitle - 1).trimEnd()}…`;
}
