import type { ExchangeEvent, Payload, RunEvent } from '../model/events.ts';
import { mask } from '../secrecy/masker.ts';
import { originIn, withoutOrigin } from '../text/hosts.ts';
import { atThisHost } from './home-address.ts';
import type { ReceivedRequest } from './received-request.ts';
import { problemAnswer, type StandInAnswer } from './stand-in-answer.ts';
import { escaped } from './text-pattern.ts';
import { Turns } from './turns.ts';

/** Headers of a moment that has passed, and those that nobody may see. */
const passing = new Set(['date', 'age', 'set-cookie']);

/** An exchange on record: what its body has to be like, and what came. */
interface Recorded {
  readonly isLike: (body: string) => boolean;
  readonly event: ExchangeEvent;
}

/** Answers what a run has asked as it was answered there: by method, target and body; one after the other. */
export class RecordedAnswers {
  readonly #byTarget = new Map<string, Recorded[]>();
  readonly #turns = new Turns();

  static async from(events: AsyncIterable<RunEvent>): Promise<RecordedAnswers> {
    const answers = new RecordedAnswers();
    for await (const event of events) if (event.type === 'exchange') answers.#add(event);
    return answers;
  }

  get count(): number {
    return [...this.#byTarget.values()].reduce((sum, all) => sum + all.length, 0);
  }

  #add(event: ExchangeEvent): void {
    const { method, url, body } = event.request;
    if (!event.response) return;
    const key = keyOf(method, withoutOrigin(url).replace(/#.*$/, ''));
    const all = this.#byTarget.get(key) ?? [];
    this.#byTarget.set(key, all);
    all.push({ isLike: likeness(body), event });
  }

  /** Nothing where nothing of the kind was asked. */
  answer(request: ReceivedRequest): StandInAnswer | undefined {
    const key = keyOf(request.method, request.target);
    const alike = (this.#byTarget.get(key) ?? []).filter(({ isLike }) => isLike(request.body.text));
    if (alike.length === 0) return undefined;
    const turn = this.#turns.next(`${key}\n${request.body.text}`);
    return answerOf(alike[Math.min(turn, alike.length - 1)]!.event, request);
  }
}

function keyOf(method: string, target: string): string {
  return `${method} ${target.startsWith('/') ? target : `/${target}`}`;
}

/** What nobody may see in a body may be anything; of one that was cut its beginning counts. */
function likeness(body: Payload | undefined): Recorded['isLike'] {
  if (!body?.text) return body === undefined || body.size === 0 ? text => text === '' : () => true;
  const { text, cut } = body;
  if (!text.includes(mask) && !cut) {
    const plain = asJson(text);
    return sent => sent === text || (plain !== undefined && asJson(sent) === plain);
  }
  const begin = cut ? text.replace(/ …$/, '') : text;
  const pattern = new RegExp(`^${begin.split(mask).map(escaped).join('[\\s\\S]*')}${cut ? '' : '$'}`);
  return sent => pattern.test(sent);
}

/** White space of JSON means nothing. */
function asJson(text: string): string | undefined {
  try {
    return JSON.stringify(JSON.parse(text));
  } catch {
    return undefined;
  }
}

function answerOf(
  { request: { url }, response, case: address }: ExchangeEvent,
  request: ReceivedRequest,
): StandInAnswer {
  const { status, reason, headers, body } = response!;
  if (body.cut || (body.size > 0 && body.text === undefined && body.base64 === undefined))
    return problemAnswer({
      status: 501,
      title: 'Not on record as a whole',
      detail: `Of the ${body.size} bytes that came here, the record keeps only a part. The setting limits: { record: … } says how much.`,
    });
  const here = (text: string) => atThisHost(text, originIn(url), request);
  return {
    status,
    reason,
    headers: headers
      .filter(([name, value]) => !passing.has(name.toLowerCase()) && value !== mask)
      .map(([name, value]) => [name, here(value)] as const),
    body:
      body.text !== undefined
        ? { text: here(body.text) }
        : body.base64 === undefined
          ? undefined
          : { bytes: Buffer.from(body.base64, 'base64') },
    from: `record of ${address}`,
  };
}
