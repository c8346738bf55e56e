import type { CheckEvent, ExchangeEvent, RunEvent } from '../core/model/events.ts';

/** Of so many requests the last exchange is remembered: a run of many cases comes back to none of them soon. */
const mostRemembered = 100;

/**
 * Events as lines of JSON. A long run says most things many times: what a check that holds says of itself never changes,
 * and the head of an exchange hardly does. So what was written for the one before is taken again where it is the same.
 */
export class EventLines {
  /** By the place of a check: what its line always says. The checks of a level belong to many cases. */
  readonly #checks = new WeakMap<object, { text: string; of: string; address: string; json: string }>();
  /** By the place of a request. */
  readonly #exchanges = new Map<object, ExchangeTexts>();

  line(event: RunEvent): string {
    switch (event.type) {
      case 'check':
        return event.holds === 'yes' ? this.#checkLine(event) : JSON.stringify(event);
      case 'exchange':
        return event.fault || event.interim ? JSON.stringify(event) : this.#exchangeLine(event);
      default:
        return JSON.stringify(event);
    }
  }

  #checkLine({
    lane,
    round,
    user,
    case: address,
    row,
    place,
    text,
    holds,
    label,
    level,
  }: CheckEvent): string {
    let known = this.#checks.get(place);
    if (known?.text !== text || known.of !== address) {
      const json = JSON.stringify({ place, text, holds }).slice(1, -1);
      known = { text, of: address, address: JSON.stringify(address), json };
      this.#checks.set(place, known);
    }
    const whose = `${user === undefined ? '' : `,"user":${user}`},"case":${known.address}${row === undefined ? '' : `,"row":${row}`}`;
    const more = `${label === undefined ? '' : `,"label":${JSON.stringify(label)}`}${level === undefined ? '' : `,"level":${JSON.stringify(level)}`}`;
    return `{"type":"check",${laneText(lane)}"round":${round}${whose},${known.json}${more}}`;
  }

  /** Written member by member, which a test holds against the schema. */
  #exchangeLine(event: ExchangeEvent): string {
    const { round, user, row, place, at, times, received, cause, request, response, connection } = event;
    const texts = this.#textsOf(place);
    let line = `{"type":"exchange",${laneText(event.lane)}"round":${round}`;
    if (user !== undefined) line += `,"user":${user}`;
    line += `,"case":${texts.case.of(event.case)}`;
    if (row !== undefined) line += `,"row":${row}`;
    line += `,"at":${at},"place":${texts.place},"times":${textOfTimes(times)},"received":${received}`;
    if (cause !== undefined) line += `,"cause":"${cause}"`;
    if (event.fresh) line += ',"fresh":true';
    if (event.part) line += ',"part":true';
    if (event.whole !== undefined) line += `,"whole":${event.whole}`;
    if (event.late !== undefined) line += `,"late":${event.late}`;
    if (event.lag !== undefined) line += `,"lag":${event.lag}`;
    line += `,"request":{"method":${texts.method.of(request.method)},"url":${texts.url.of(request.url)},"headers":${texts.sent.of(request.headers)}`;
    line += request.body ? `,"body":${JSON.stringify(request.body)}}` : '}';
    if (event.definition) line += `,"definition":${texts.definition.of(event.definition)}`;
    if (event.example) line += `,"example":${JSON.stringify(event.example)}`;
    if (connection) line += `,"connection":${texts.connection.of(connection)}`;
    if (!response) return `${line}}`;
    const { status, reason, headers, trailers, body, encoded } = response;
    line += `,"response":{"status":${status},"reason":${texts.reason.of(reason)},"headers":${texts.received.of(headers)}`;
    if (trailers) line += `,"trailers":${JSON.stringify(trailers)}`;
    if (encoded !== undefined) line += `,"encoded":${encoded}`;
    return `${line},"body":${JSON.stringify(body)}}}`;
  }

  #textsOf(place: object): ExchangeTexts {
    let texts = this.#exchanges.get(place);
    if (!texts) {
      texts = {
        place: JSON.stringify(place),
        case: new LastText(),
        method: new LastText(),
        url: new LastText(),
        sent: new LastText(),
        connection: new LastText(),
        definition: new LastText(),
        reason: new LastText(),
        received: new LastText(),
      };
      if (this.#exchanges.size >= mostRemembered) this.#exchanges.clear();
      this.#exchanges.set(place, texts);
    }
    return texts;
  }
}

function laneText(lane: number | undefined): string {
  return lane === undefined ? '' : `"lane":${lane},`;
}

/** What was last written of a request and its response, but for their bodies. */
interface ExchangeTexts {
  readonly place: string;
  readonly case: LastText;
  readonly method: LastText;
  readonly url: LastText;
  readonly connection: LastText;
  readonly definition: LastText;
  readonly reason: LastText;
  /** Headers of the request, and of the response. */
  readonly sent: LastText;
  readonly received: LastText;
}

/** Plain data as JSON, written anew only where it is not the same as the last time. */
class LastText {
  #value: unknown;
  #text = '';

  of(value: unknown): string {
    if (this.#text === '' || !givesSame(value, this.#value)) {
      this.#text = JSON.stringify(value);
      this.#value = value;
    }
    return this.#text;
  }
}

/** Whether two pieces of plain data give the same JSON. */
function givesSame(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) {
    if (!Array.isArray(b) || a.length !== b.length) return false;
    for (let at = 0; at < a.length; at++) if (!givesSame(a[at], b[at])) return false;
    return true;
  }
  const [own, others] = [Object.keys(a), Object.keys(b)];
  if (Array.isArray(b) || own.length !== others.length) return false;
  for (let at = 0; at < own.length; at++) {
    const key = own[at]! as keyof typeof a;
    if (key !== others[at] || !givesSame(a[key], b[key])) return false;
  }
  return true;
}

function textOfTimes({ lookup, connect, tls, wait, download, total }: ExchangeEvent['times']): string {
  let text = `{"total":${total}`;
  if (wait !== undefined) text += `,"wait":${wait}`;
  if (download !== undefined) text += `,"download":${download}`;
  if (lookup !== undefined) text += `,"lookup":${lookup}`;
  if (connect !== undefined) text += `,"connect":${connect}`;
  if (tls !== undefined) text += `,"tls":${tls}`;
  return `${text}}`;
}
