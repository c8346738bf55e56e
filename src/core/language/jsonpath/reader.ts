import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';
import { readReference } from '../reference.ts';
import type { Given, GivenText, Slot } from './ast.ts';
import { readQuoted } from './quoted.ts';

const integer = /-?(?:0|[1-9][0-9]*)/y;

/** The characters of a path, and where the reading of them stands. */
export class PathReader {
  readonly givenTo: Given[] = [];

  /** @param place turns offsets of `text` into a range of the page; without it no references may stand here */
  constructor(
    readonly text: string,
    public at: number,
    readonly place?: (start: number, end: number) => Range,
  ) {}

  /** The reference that begins here, as a place for its value; nothing where a brace is just a brace. */
  protected slot(at: number, wanted: 'text' | 'value'): { slot: Slot; end: number } | undefined {
    const found = readReference(this.text, at, this.place ?? ((start, end) => ({ start, end })));
    if (!found) return undefined;
    if (!this.place) this.fail('No reference can stand in this path.', at);
    return {
      slot: { slot: this.givenTo.push({ reference: found.reference, asText: wanted === 'text' }) - 1 },
      end: found.end,
    };
  }

  /** A reference that has to stand here. */
  protected given(wanted: 'text' | 'value'): Slot {
    const found = this.slot(this.at, wanted);
    if (!found) this.fail('A reference should stand here.', this.at, 'It is written {name}, without space.');
    this.at = found.end;
    return found.slot;
  }

  protected integer(): number | undefined {
    const start = this.at;
    const text = this.match(integer);
    if (text === undefined) return undefined;
    if (text === '-0' || !Number.isSafeInteger(Number(text)) || /[0-9]/.test(this.text[this.at] ?? ''))
      this.fail(`'${text}' is no index: a whole number without leading zeros.`, start);
    return Number(text);
  }

  /** A text in quotes, in parts where given_ stand in it. */
  protected string(): string | GivenText {
    const { parts, end } = readQuoted(this.text, this.at, at => this.slot(at, 'text'));
    this.at = end;
    return parts.length === 1 && typeof parts[0] === 'string' ? parts[0] : parts;
  }

  protected space(): void {
    while (/[ \t\n\r]/.test(this.text[this.at] ?? '')) this.at++;
  }

  protected eat(char: string): boolean {
    if (this.text[this.at] !== char) return false;
    this.at++;
    return true;
  }

  protected match(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.at;
    const text = pattern.exec(this.text)?.[0];
    if (text !== undefined) this.at += text.length;
    return text;
  }

  protected fail(message: string, start: number, remedy?: string): never {
    throw new SourceError(
      'path-form',
      { start, end: Math.max(start + 1, Math.min(this.at, this.text.length)) },
      message,
      remedy,
    );
  }
}
