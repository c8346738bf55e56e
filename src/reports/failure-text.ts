import type { CheckEvent, NamedText } from '../core/model/events.ts';
import type { Place } from '../core/model/place.ts';
import { counted } from '../core/text/words.ts';
import { fit, type Measure, type Paint, type Role, visible, wrap } from './style.ts';

/** What stands below the outcome of a case. */
export const indent = ' '.repeat(9);

/** So many lines of what was said besides are told. */
const shownLines = 8;

/** Writes what is to be said of a case that did not pass, in the columns of the terminal. */
export class FailureText {
  /** The parts of the response that were shown for this case. */
  readonly #shownParts = new Set<string>();

  constructor(
    readonly view: { readonly paint: Paint; readonly measure: Measure; readonly width: number },
    readonly line: (text: string) => void,
  ) {}

  /** Once the status is not the expected one, checks that find nothing only follow from it: they are told in short. */
  checks(checks: readonly CheckEvent[]): void {
    this.#shownParts.clear();
    const wrongStatus = checks.find(check => check.holds === 'no' && /^status\b/.test(check.text));
    const follows = (check: CheckEvent) =>
      wrongStatus !== undefined &&
      (check.holds === 'unknown'
        ? /^(?:nothing|cannot be decided)/.test(check.found ?? '')
        : check.differences?.every(({ found }) => found.startsWith('nothing')) === true);
    for (const check of checks) if (!follows(check)) this.#check(check);
    const rest = checks.filter(follows).map(check => check.text);
    if (rest.length > 0) this.#entry('undecided', rest.join('; '), 'quiet');
  }

  #check(check: CheckEvent): void {
    const { place, level, label } = check;
    this.beside(label === undefined ? check.text : `"${label}": ${check.text}`, place);
    if (level !== undefined) this.#entry('set in', level);
    if (check.expected !== undefined) this.#entry('expected', check.expected);
    if (check.found !== undefined)
      this.#entry('found', check.found, check.holds === 'no' ? 'failed' : 'error');
    if (check.differences) this.#differences(check.differences);
    if (check.at !== undefined && !check.differences) this.#entry('at', check.at);
    for (const { name, value, origin } of check.origins ?? [])
      this.#entry(`{${name}}`, `${value}, ${origin}`);
    if (check.nearest === undefined || this.#shownParts.has(check.nearest)) return;
    this.#shownParts.add(check.nearest);
    this.#entry(check.nearestOf ?? 'response', check.nearest, 'quiet');
  }

  /** What differs under what should be there, so that the eye compares them. */
  #differences(differences: NonNullable<CheckEvent['differences']>): void {
    const { measure } = this.view;
    const column = Math.min(32, Math.max(...differences.map(({ at }) => measure(visible(at)))));
    for (const { at, expected, found } of differences) {
      this.#entry(visible(at).padEnd(column), `expected ${expected}`);
      this.#entry(' '.repeat(Math.max(column, measure(visible(at)))), `found    ${found}`, 'failed');
    }
  }

  /** A label and its value; values stand under each other, so that the eye compares them. */
  #entry(label: string, value: string, role: Role = 'plain'): void {
    const column = Math.max(11, this.view.measure(label) + 2);
    const [first, ...rest] = this.wrapped(value, column + 2);
    this.line(
      `${indent}  ${this.view.paint('quiet', fit(label, column, this.view.measure))}${this.view.paint(role, first ?? '')}`,
    );
    for (const line of rest) this.line(`${indent}  ${' '.repeat(column)}${this.view.paint(role, line)}`);
  }

  /** What was said besides: what a script has printed, what a command told of its errors. */
  texts(texts: readonly NamedText[]): void {
    for (const { name, body } of texts) {
      const lines = (body.text ?? '').trimEnd().split('\n');
      const left = lines.length - shownLines;
      this.#entry(name, lines[0]!, 'quiet');
      for (const line of lines.slice(1, shownLines)) this.#entry('', line, 'quiet');
      if (left > 0) this.#entry('', `… ${counted(left, 'more line')}`, 'quiet');
    }
  }

  /** A line of a page, and the place in it. */
  marked(line: string, column: number): void {
    const shown = visible(line.trimStart());
    const before = visible(line.slice(0, column - 1).trimStart());
    const room = this.view.width - indent.length - 2;
    const { paint, measure } = this.view;
    if (measure(before) >= room) return;
    this.line(`${indent}  ${paint('quiet', fit(shown, room, measure).trimEnd())}`);
    this.line(`${indent}  ${' '.repeat(measure(before))}${paint('failed', '^')}`);
  }

  wrapped(text: string, taken: number): string[] {
    return wrap(visible(text), this.view.width - indent.length - taken, this.view.measure);
  }

  /** A text of a failure, and where it is written at the right edge of its first line. */
  beside(text: string, { file, line }: Place): void {
    const where = `${file}:${line}`;
    const width = this.view.width - indent.length;
    const [first = '', ...rest] = this.wrapped(text, where.length + 2);
    this.line(indent + this.apart(first, first, where, width));
    for (const each of rest) this.line(indent + each);
  }

  apart(painted: string, plain: string, right: string, width: number): string {
    const gap = width - this.view.measure(plain) - this.view.measure(right);
    return gap < 2
      ? `${painted}\n${indent}${this.view.paint('quiet', right)}`
      : painted + ' '.repeat(gap) + this.view.paint('quiet', right);
  }
}
