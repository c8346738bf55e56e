import { EVENT_ID, type Event, getScalarValue } from 'js-yaml';
import type { Range } from '../../model/source.ts';
import { Exact } from '../../model/value.ts';
import { isNumberText, readNumber } from '../../values/number.ts';
import { isJsonObject, type Json } from './json.ts';

interface ContainerPlaces {
  readonly start: number;
  /** Where members are named and items begin, by name or index. */
  readonly keys: ReadonlyMap<string, Range>;
}

/** Where everything in a document stands. An object that is used several times stands where it is written out. */
export class Places {
  readonly #containers = new Map<object, ContainerPlaces>();
  /** Numbers with more digits than a double keeps, by what holds them and their names or indexes there. */
  readonly numbers = new Map<object, Map<string, Exact>>();
  #at = 0;

  /** @param events those that the value was made from */
  constructor(
    readonly text: string,
    readonly events: readonly Event[],
    value: Json,
  ) {
    while (this.#at < events.length && events[this.#at]!.type === EVENT_ID.DOCUMENT) this.#at++;
    this.#visit(value);
  }

  range(container: object, key?: string | number): Range {
    const places = this.#containers.get(container);
    const range = key === undefined ? undefined : places?.keys.get(String(key));
    if (range) return range;
    const start = places?.start ?? 0;
    return { start, end: this.#lineEnd(start) };
  }

  #lineEnd(start: number): number {
    const end = this.text.indexOf('\n', start);
    return end < 0 ? this.text.length : end;
  }

  /** Goes through the events of one node beside the value that was made of them. */
  #visit(value: unknown): Range {
    const event = this.events[this.#at++];
    const { SCALAR, MAPPING, SEQUENCE } = EVENT_ID;
    if (!event) return { start: 0, end: 0 };
    if (event.type === SCALAR) {
      const start = Math.max(0, event.valueStart);
      return { start, end: Math.max(start, Math.min(event.valueEnd, this.#lineEnd(start))) };
    }
    if (event.type === MAPPING) return this.#mapping(event.start, value);
    if (event.type === SEQUENCE) return this.#sequence(event.start, value);
    return 'anchorStart' in event ? { start: event.anchorStart, end: event.anchorEnd } : { start: 0, end: 0 };
  }

  #mapping(start: number, value: unknown): Range {
    const keys = new Map<string, Range>();
    this.#note(value, start, keys);
    while (!this.#closes()) {
      const key = this.events[this.#at]!;
      const name =
        key.type === EVENT_ID.SCALAR ? (key.valueStart < 0 ? '' : getScalarValue(this.text, key)) : undefined;
      const range = this.#visit(undefined);
      const isThere = isJsonObject(value) && name !== undefined && Object.hasOwn(value, name);
      if (isThere) this.#noteNumber(value, name);
      this.#visit(isThere ? value[name] : undefined);
      if (name !== undefined) keys.set(name, range);
    }
    return { start, end: this.#lineEnd(start) };
  }

  #sequence(start: number, value: unknown): Range {
    const keys = new Map<string, Range>();
    this.#note(value, start, keys);
    for (let index = 0; !this.#closes(); index++) {
      if (Array.isArray(value)) this.#noteNumber(value, index);
      keys.set(String(index), this.#visit(Array.isArray(value) ? value[index] : undefined));
    }
    return { start, end: this.#lineEnd(start) };
  }

  #note(value: unknown, start: number, keys: ReadonlyMap<string, Range>): void {
    if (typeof value === 'object' && value !== null && !this.#containers.has(value))
      this.#containers.set(value, { start: Math.max(0, start), keys });
  }

  /** The event that comes next is that of a member. */
  #noteNumber(container: object, key: string | number): void {
    const event = this.events[this.#at];
    const value = (container as { readonly [key: string | number]: unknown })[key];
    if (typeof value !== 'number' || event?.type !== EVENT_ID.SCALAR) return;
    const text = this.text.slice(event.valueStart, event.valueEnd);
    const number = isNumberText(text) ? readNumber(text) : value;
    if (!(number instanceof Exact)) return;
    const known = this.numbers.get(container) ?? new Map<string, Exact>();
    this.numbers.set(container, known.set(String(key), number));
  }

  #closes(): boolean {
    const event = this.events[this.#at];
    if (event && event.type !== EVENT_ID.POP) return false;
    this.#at++;
    return true;
  }
}
