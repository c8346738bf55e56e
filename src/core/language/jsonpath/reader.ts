import { Mistake } from '../../text/finding.ts';
import { readQuoted } from './quoted.ts';

const integer = /-?(?:0|[1-9][0-9]*)/y;

/** The characters of a path, and where the reading of them stands. */
export class PathReader {
  constructor(
    readonly text: string,
    public at: number,
  ) {}

  protected integer(): number | undefined {
    const start = this.at;
    const text = this.match(integer);
    if (text === undefined) return undefined;
    if (text === '-0' || !Number.isSafeInteger(Number(text)) || /[0-9]/.test(this.text[this.at] ?? ''))
      this.fail(`'${text}' is no index: a whole number without leading zeros.`, start);
    return Number(text);
  }

  protected string(): string {
    const { value, end } = readQuoted(this.text, this.at);
    this.at = end;
    return value;
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
    throw new Mistake(
      'path-form',
      { start, end: Math.max(start + 1, Math.min(this.at, this.text.length)) },
      message,
      remedy,
    );
  }
}
