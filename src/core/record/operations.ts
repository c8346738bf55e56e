import type { NamedText, OperationEvent, Payload, RunEvent } from '../model/events.ts';

// What all operations have in common, whatever their kind: a reader of the record needs to know no more.

export function isOperation(event: RunEvent): event is OperationEvent {
  return event.type === 'exchange' || event.type === 'operation';
}

/** Whether something came of it. */
export function isAnswered(event: OperationEvent): boolean {
  return (event.type === 'exchange' ? event.response : event.answer) !== undefined;
}

/** What came, in a word: a status, or the kind of a fault. */
export function outcomeOf(event: OperationEvent): string {
  const code = event.type === 'exchange' ? event.response?.status : event.answer?.code;
  return code === undefined ? (event.fault?.kind ?? 'nothing') : String(code);
}

/** An operation in the form in which every report shows it. */
export interface OperationView {
  /** `GET`, and the address that it goes to. */
  readonly verb: string;
  readonly target: string;
  readonly fields: Fields;
  readonly body: Payload | undefined;
  readonly answer: OperationAnswer | undefined;
  /** What else came, by its name. */
  readonly texts: readonly NamedText[];
}

export interface OperationAnswer {
  /** `404`, and what that stands for. */
  readonly code: string | number;
  readonly words: string;
  /** Whether it is one of those that say that something went wrong. */
  readonly isBad: boolean;
  readonly fields: Fields;
  readonly body: Payload;
}

type Fields = readonly (readonly [name: string, value: string])[];

export function viewOf(event: OperationEvent): OperationView {
  if (event.type === 'operation') {
    const { verb, target, fields, body } = event.asked;
    return {
      verb,
      target,
      fields,
      body,
      answer: event.answer && { ...event.answer, isBad: event.answer.bad === true },
      texts: event.texts ?? [],
    };
  }
  const { request, response } = event;
  return {
    verb: request.method,
    target: request.url,
    fields: request.headers,
    body: request.body,
    texts: [],
    answer: response && {
      code: response.status,
      words: response.reason,
      isBad: response.status >= 400,
      fields: response.headers,
      body: response.body,
    },
  };
}

/** Without what was sent and what came, but for its size. */
export function withoutContents<Event extends OperationEvent>(event: Event): Event;
export function withoutContents(event: OperationEvent): OperationEvent {
  if (event.type === 'operation') {
    const { asked, answer, texts: _texts, ...rest } = event;
    return {
      ...rest,
      asked: { verb: asked.verb, target: asked.target, fields: [] },
      ...(answer && { answer: { ...answer, fields: [], body: { size: answer.body.size } } }),
    };
  }
  const { request, response, interim: _interim, connection: _connection, ...rest } = event;
  return {
    ...rest,
    request: { method: request.method, url: request.url, headers: [] },
    ...(response && {
      response: {
        status: response.status,
        reason: response.reason,
        headers: [],
        body: { size: response.body.size },
      },
    }),
  };
}
