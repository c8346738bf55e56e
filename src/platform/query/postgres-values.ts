import type { Value } from '../../core/model/value.ts';
import type { Parameter } from '../../core/steps/query/query-port.ts';
import { isNumberText } from '../../core/values/number.ts';
import type { ValueReaders } from './value-readers.ts';

// Values of PostgreSQL, which come as texts, by the numbers of their types (pg_type.dat); and those that go there.

const numeric = new Set([20, 21, 23, 26, 700, 701, 1700]);
const json = new Set([114, 3802]);
const [bool, bytea, date, timestamp, timestamptz] = [16, 17, 1082, 1114, 1184];
/** Of arrays, the type of their items. */
const arrays: ReadonlyMap<number, number> = new Map([
  ...([
    [1000, 16],
    [1001, 17],
    [1016, 20],
    [1005, 21],
    [1007, 23],
    [1028, 26],
    [1021, 700],
    [1022, 701],
    [1231, 1700],
  ] as const),
  ...([
    [199, 114],
    [3807, 3802],
    [1182, 1082],
    [1115, 1114],
    [1185, 1184],
    [1009, 25],
    [1015, 1043],
    [1014, 1042],
    [2951, 2950],
  ] as const),
]);

export function valueOfText(text: string | null, type: number, readers: ValueReaders): Value {
  if (text === null) return null;
  if (numeric.has(type)) return isNumberText(text) ? readers.readNumber(text) : text;
  if (type === bool) return text === 't';
  if (json.has(type)) return readers.readJson(text);
  if (type === timestamp) return text.replace(' ', 'T');
  if (type === timestamptz) return text.replace(' ', 'T').replace(/\+00$/, 'Z');
  if (type === bytea) return Buffer.from(text.slice(2), 'hex').toString('base64');
  const items = arrays.get(type);
  if (items !== undefined) return new ArrayReader(text, items, readers).read() ?? text;
  return text;
}

/** An array as the server writes it: {1,NULL,"a \"b\"",{2}} */
class ArrayReader {
  #at = 0;

  constructor(
    readonly text: string,
    readonly type: number,
    readonly readers: ValueReaders,
  ) {}

  /** Nothing where it begins with its bounds, which no list has. */
  read(): Value | undefined {
    return this.text[0] === '{' ? this.#list() : undefined;
  }

  #list(): Value[] {
    const { text } = this;
    const items: Value[] = [];
    this.#at++;
    while (text[this.#at] !== '}' && this.#at < text.length) {
      items.push(text[this.#at] === '{' ? this.#list() : this.#item());
      if (text[this.#at] === ',') this.#at++;
    }
    this.#at++;
    return items;
  }

  #item(): Value {
    const { text } = this;
    if (text[this.#at] !== '"') {
      const [bare = ''] = /^[^,}]*/.exec(text.slice(this.#at)) ?? [];
      this.#at += bare.length;
      return bare === 'NULL' ? null : valueOfText(bare, this.type, this.readers);
    }
    let read = '';
    for (this.#at++; text[this.#at] !== '"' && this.#at < text.length; this.#at++) {
      if (text[this.#at] === '\\') this.#at++;
      read += text[this.#at];
    }
    this.#at++;
    return valueOfText(read, this.type, this.readers);
  }
}

/** The type that a parameter has; 0 where the server finds it. */
export function typeOfParameter({ kind, value }: Parameter): number {
  switch (kind) {
    case 'number':
      return typeOfNumber(value as string);
    case 'text':
      return 25;
    case 'boolean':
      return bool;
    case 'json':
      return 3802;
    case 'bytes':
      return bytea;
    case 'date':
      return date;
    case 'timestamp':
      return timestamptz;
    case 'plain':
    case 'null':
      return 0;
    default:
      return kind satisfies never;
  }
}

function typeOfNumber(text: string): number {
  if (!/^-?\d{1,19}$/.test(text)) return 1700;
  const number = BigInt(text);
  if (BigInt.asIntN(32, number) === number) return 23;
  return BigInt.asIntN(64, number) === number ? 20 : 1700;
}
