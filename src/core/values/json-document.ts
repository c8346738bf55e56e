import {
  CalendarDate,
  Duration,
  Exact,
  Plain,
  Size,
  Special,
  Timestamp,
  type Value,
} from '../model/value.ts';
import { isNumberText, numberText, readNumber } from './number.ts';
import { durationText, instantText, sizeText } from './text.ts';

/** Why a text is no JSON, and at which offset. */
export class JsonError extends Error {
  constructor(
    readonly offset: number,
    message: string,
  ) {
    super(message);
  }
}

/** A place in a JSON text where a reference stands instead of characters. */
export interface Hole {
  readonly start: number;
  readonly end: number;
  /** Set while reading: whether it stands inside a string or in the place of a value. */
  place?: 'string' | 'value';
}

const deepest = 1000;
/** The same where a number can stand. */
const losesDigits = /(?:^|[:,[\s])-?\d(?:[\d.]{15}|[\d.]*[eE])/;

/** Whether all numbers of a JSON text are doubles. */
export function holdsDoublesAlone(text: string): boolean {
  return !(mayLoseDigits(text) && losesDigits.test(text));
}

/**
 * Quick to say no: sixteen digits and points in a row, or an exponent. A UUID or a hash in a string looks like it too.
 * (Every body goes through it; an expression takes twice as long.)
 */
function mayLoseDigits(text: string): boolean {
  let digits = 0;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code <= nine && (code >= zero || (code === point && digits > 0))) {
      if (++digits === 16) return true;
    } else {
      if (digits > 0 && (code | lowerCase) === letterE && text.charCodeAt(at - 1) !== point) return true;
      digits = 0;
    }
  }
  return false;
}

const [zero, nine, point, letterE, lowerCase] = [0x30, 0x39, 0x2e, 0x65, 0x20];

/** Reads a JSON document (RFC 8259); numbers keep all their digits. Throws JsonError. */
export function readJson(text: string): Value {
  if (holdsDoublesAlone(text)) {
    try {
      return JSON.parse(text) as Value;
    } catch {
      // The reader below says where and why.
    }
  }
  return new JsonReader(text, []).document();
}

/** Checks that a text is JSON once its holes are filled, and notes the place of each hole. Throws JsonError. */
export function checkJsonWithHoles(text: string, holes: readonly Hole[]): void {
  new JsonReader(text, holes).document();
}

class JsonReader {
  #at = 0;
  #depth = 0;
  #holes: Map<number, Hole>;

  constructor(
    readonly text: string,
    holes: readonly Hole[],
  ) {
    this.#holes = new Map(holes.map(hole => [hole.start, hole]));
  }

  document(): Value {
    const value = this.#value();
    this.#space();
    if (this.#at < this.text.length) this.#fail('something stands behind the end of the document');
    return value;
  }

  #value(): Value {
    this.#space();
    const hole = this.#holes.get(this.#at);
    if (hole) {
      hole.place = 'value';
      this.#at = hole.end;
      return null;
    }
    const first = this.text[this.#at];
    if (first === '{') return this.#object();
    if (first === '[') return this.#list();
    if (first === '"') return this.#string();
    for (const [word, value] of [
      ['true', true],
      ['false', false],
      ['null', null],
    ] as const) {
      if (this.text.startsWith(word, this.#at)) {
        this.#at += word.length;
        return value;
      }
    }
    const number = /^-?[0-9][0-9.eE+-]*/.exec(this.text.slice(this.#at, this.#at + 100_000))?.[0];
    if (number !== undefined) {
      if (!isNumberText(number)) this.#fail(`'${number.slice(0, 40)}' is no JSON number`);
      this.#at += number.length;
      return readNumber(number);
    }
    if (first === undefined) this.#fail(this.#at === 0 ? 'there is nothing' : 'the text ends too early');
    if (first === "'") this.#fail('JSON strings stand in double quotes');
    const word = /^[\p{L}\d_]+/u.exec(this.text.slice(this.#at, this.#at + 40))?.[0] ?? first;
    return this.#fail(`a value should stand here, not '${word}'`);
  }

  #enter(): void {
    if (++this.#depth > deepest) this.#fail(`the document is nested deeper than ${deepest} levels`);
    this.#at++;
  }

  #object(): Value {
    const object: { [name: string]: Value } = {};
    this.#enter();
    if (this.#closes('}')) return object;
    for (;;) {
      this.#space();
      if (this.text[this.#at] !== '"') {
        this.#fail(
          this.text[this.#at] === '}'
            ? 'a comma stands before the closing brace'
            : 'a member name in double quotes should stand here',
        );
      }
      const name = this.#string();
      this.#space();
      if (this.text[this.#at] !== ':') this.#fail("a ':' should stand here");
      this.#at++;
      // A plain assignment would not make a member of '__proto__'.
      Object.defineProperty(object, name, {
        value: this.#value(),
        enumerable: true,
        writable: true,
        configurable: true,
      });
      if (this.#closes('}')) return object;
      this.#comma('}');
    }
  }

  #list(): Value {
    const list: Value[] = [];
    this.#enter();
    if (this.#closes(']')) return list;
    for (;;) {
      list.push(this.#value());
      if (this.#closes(']')) return list;
      this.#comma(']');
    }
  }

  #closes(bracket: string): boolean {
    this.#space();
    if (this.text[this.#at] !== bracket) return false;
    this.#at++;
    this.#depth--;
    return true;
  }

  #comma(bracket: string): void {
    if (this.text[this.#at] !== ',') this.#fail(`a ',' or '${bracket}' should stand here`);
    this.#at++;
    this.#space();
    if (this.text[this.#at] === bracket) this.#fail(`no comma may stand before '${bracket}'`);
  }

  #string(): string {
    const start = ++this.#at;
    let escaped = false;
    for (;;) {
      const hole = this.#holes.get(this.#at);
      if (hole) {
        hole.place = 'string';
        this.#at = hole.end;
        continue;
      }
      const unit = this.text.charCodeAt(this.#at);
      if (Number.isNaN(unit)) {
        this.#at = start - 1;
        this.#fail('this string is not closed');
      }
      if (unit === 0x22) break;
      if (unit < 0x20)
        this.#fail(
          unit === 10
            ? 'a string may not go over a line end; write \\n'
            : 'a control character must be escaped',
        );
      if (unit === 0x5c) {
        const written = /^\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})/.exec(
          this.text.slice(this.#at, this.#at + 6),
        )?.[0];
        if (written === undefined) this.#fail(`'\\${this.text[this.#at + 1] ?? ''}' is no escape of JSON`);
        this.#at += written.length;
        escaped = true;
      } else this.#at++;
    }
    const raw = this.text.slice(start, this.#at++);
    return escaped && this.#holes.size === 0 ? (JSON.parse(`"${raw}"`) as string) : raw;
  }

  #space(): void {
    for (;;) {
      const unit = this.text.charCodeAt(this.#at);
      if (unit !== 32 && unit !== 10 && unit !== 13 && unit !== 9) return;
      this.#at++;
    }
  }

  #fail(message: string): never {
    throw new JsonError(this.#at, message);
  }
}

/** Writes a value as JSON, numbers with all their digits. Kinds that JSON lacks become what a request would carry. */
export function writeJson(value: Value, indent = 0): string {
  return writeAt(value, indent, '\n');
}

function writeAt(value: Value, indent: number, line: string): string {
  if (typeof value === 'string') return JSON.stringify(value);
  if (typeof value === 'number' || value instanceof Exact) return numberText(value);
  if (value === null || typeof value === 'boolean') return String(value);
  if (value instanceof Uint8Array) return JSON.stringify(Buffer.from(value).toString('base64'));
  if (value instanceof Special) return writeSpecial(value);
  const inner = indent > 0 ? line + ' '.repeat(indent) : '';
  const last = indent > 0 ? line : '';
  const between = indent > 0 ? ',' : ', ';
  if (Array.isArray(value)) {
    if (value.length === 0) return '[]';
    return `[${value.map(item => inner + writeAt(item, indent, inner)).join(between)}${last}]`;
  }
  const names = Object.keys(value);
  if (names.length === 0) return '{}';
  const members = names.map(
    name => `${inner}${JSON.stringify(name)}: ${writeAt(value[name]!, indent, inner)}`,
  );
  return indent > 0 ? `{${members.join(between)}${last}}` : `{ ${members.join(between)} }`;
}

function writeSpecial(value: Special): string {
  if (value instanceof Plain) return plainAsJson(value);
  if (value instanceof Duration) return JSON.stringify(durationText(value.milliseconds));
  if (value instanceof Size) return JSON.stringify(sizeText(value.bytes));
  if (value instanceof CalendarDate || value instanceof Timestamp) return JSON.stringify(instantText(value));
  throw new TypeError(`A value of kind ${value.kind} has no JSON form.`);
}

/** A plain value becomes a number or boolean if it is written so and not in quotes, else a string. */
function plainAsJson({ text, quoted }: Plain): string {
  if (quoted) return JSON.stringify(text);
  return isNumberText(text) || text === 'true' || text === 'false' ? text : JSON.stringify(text);
}
