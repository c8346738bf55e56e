import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';
import { type Bound, parseBound } from '../bounds.ts';
import type { Load, LoadPhase, LoadUnit, StopCondition, UserRows } from './load.ts';
import { loadError, type PhaseParts, phaseForms, readPhaseParts, readTime, wholeOf } from './phase-parts.ts';

/** In milliseconds: figures are gathered by the second. */
const shortestWatch = 1000;

export interface ReadLoad {
  /** Nothing where something is wrong with it. */
  readonly load: Load | undefined;
  readonly errors: readonly SourceError[];
}

// load   :: line ( ( newline | ";" ) line )*
// line   :: ( '"' label '"' ":" )? phase | "each user takes" "random"? "row of" table | "stop when" bound "for" duration
// phase  :: "warm up" ( "with" target )? "for" duration | ( "rise" | "fall" ) "to" target "in" duration
//         | "stay" ( "at" target "for" | "for" )? duration
// target :: number ( "users" | "rounds/s" | "rounds/min" | "rounds/h" )?
/** Reads the lines of a load; what stands behind `#` is a comment. */
export function parseLoad(text: string): ReadLoad {
  const reader = new LoadReader();
  for (const line of linesOf(text)) reader.read(line);
  return reader.end(text);
}

interface Line {
  readonly text: string;
  /** Offset of its first character. */
  readonly start: number;
}

/** Lines end at a line end or a semicolon, but not in quotes. */
function linesOf(text: string): Line[] {
  const lines: Line[] = [];
  for (const { 0: part, index } of text.matchAll(/(?:"[^"\n]*"|(?<=^|\s)#[^\n]*|[^;\n"])+|"/g)) {
    const content = part.replace(/("[^"]*")|(?:^|\s)#.*$/g, '$1');
    const trimmed = content.trim();
    if (trimmed !== '') lines.push({ text: trimmed, start: index + content.indexOf(trimmed) });
  }
  return lines;
}

class LoadReader {
  readonly #phases: LoadPhase[] = [];
  readonly #stops: StopCondition[] = [];
  readonly #errors: SourceError[] = [];
  #rows: UserRows | undefined;
  #numbers = 0;
  /** What the next phase goes on from. */
  #before: { readonly unit: LoadUnit; readonly to: number } | undefined;
  /** Whether a phase above could not be read, so that it is not known what the next one goes on from. */
  #isLost = false;

  read({ text, start }: Line): void {
    const moved = ({ start: from, end }: Range): Range => ({ start: start + from, end: start + end });
    try {
      if (/^each\s+user\b/.test(text)) {
        const rows = readRows(text);
        if (this.#rows)
          throw loadError(wholeOf(text), 'Each user takes a row of one table, which a line above names.');
        this.#rows = { ...rows, range: moved(rows.range) };
      } else if (/^stop\s+when\b/.test(text)) {
        const stop = readStop(text);
        this.#stops.push({ ...stop, range: moved(stop.range) });
      } else this.#readPhase(text);
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      const { code, range, message, remedy } = error;
      this.#errors.push(new SourceError(code, moved(range), message, remedy));
    }
  }

  end(text: string): ReadLoad {
    if (this.#errors.length === 0 && this.#numbers === 0)
      this.#errors.push(loadError(wholeOf(text), 'A load has at least one phase.', phaseForms));
    const load: Load = { phases: this.#phases, stops: this.#stops, ...(this.#rows && { rows: this.#rows }) };
    return { load: this.#errors.length === 0 ? load : undefined, errors: this.#errors };
  }

  #readPhase(line: string): void {
    const [labelled = '', label] = /^"([^"]*)"\s*:\s*/.exec(line) ?? [];
    const isLost = this.#isLost;
    this.#isLost = true;
    const parts = partsAt(line, labelled.length);
    if (label !== undefined) this.#refuseLabel(label, parts);
    this.#addPhase(
      parts,
      { text: line.slice(labelled.length), label, range: { start: labelled.length, end: line.length } },
      isLost,
    );
    this.#isLost = isLost;
  }

  #refuseLabel(label: string, { verb }: PhaseParts): void {
    const range = { start: 0, end: label.length + 2 };
    if (verb === 'warm up')
      throw loadError(range, 'The warm-up has no label: no figures are told of it.', 'Take the label away.');
    if (label.trim() === '' || /^\d+$/.test(label))
      throw loadError(
        range,
        `"${label}" is no label: phases have numbers already.`,
        'For example: "storm": stay 10 min',
      );
    if (this.#phases.some(each => each.label === label))
      throw loadError(range, `Two phases are called "${label}".`, 'Give one of them another label.');
  }

  #addPhase(
    { verb, target, lasting }: PhaseParts,
    {
      text,
      label,
      range,
    }: { readonly text: string; readonly label: string | undefined; readonly range: Range },
    isLost: boolean,
  ): void {
    if (verb === 'warm up') {
      if (this.#numbers > 0 || this.#phases.length > 0)
        throw loadError(range, 'The warm-up stands first, and once.', 'Move it above the other phases.');
      const { amount = 1, unit = 'users' } = target ?? {};
      refuseParts(amount, unit, range);
      this.#phases.push({ number: 0, text, unit, from: amount, to: amount, lasting });
      return;
    }
    const number = ++this.#numbers;
    const unit = target?.unit ?? this.#before?.unit;
    if (!unit) {
      // What the one above was to count has been found fault with already.
      if (isLost) return;
      throw target
        ? loadError(
            target.range,
            'It is not said what is counted.',
            `Write: ${target.amount} users, or: ${target.amount} rounds/s`,
          )
        : loadError(
            range,
            'Nothing goes on yet that could stay as it is.',
            'Begin with: rise to 50 users in 2 min, or: stay at 50 users for 5 min',
          );
    }
    const start = this.#before?.unit === unit ? this.#before.to : 0;
    const to = target ? target.amount : start;
    refuseParts(to, unit, target?.range ?? range);
    if (!isLost)
      refuseWrongWay(verb, {
        start,
        to,
        unit,
        hadOther: this.#before !== undefined && this.#before.unit !== unit,
        range,
      });
    this.#before = { unit, to };
    const from = verb === 'stay' ? to : start;
    this.#phases.push({ number, ...(label !== undefined && { label }), text, unit, from, to, lasting });
  }
}

/** Places in the line, whatever stands before the phase. */
function partsAt(text: string, from: number): PhaseParts {
  const moved = ({ start, end }: Range): Range => ({ start: from + start, end: from + end });
  try {
    const parts = readPhaseParts(text.slice(from));
    return parts.target ? { ...parts, target: { ...parts.target, range: moved(parts.target.range) } } : parts;
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    throw loadError(moved(error.range), error.message, error.remedy);
  }
}

function readRows(text: string): UserRows {
  const parts = /^each\s+user\s+takes\s+(random\s+)?row\s+of\s+(?:"([^"]+)"|([^\s"]+))$/.exec(text);
  if (!parts)
    throw loadError(
      wholeOf(text),
      `'${text}' cannot be read.`,
      'It is written: each user takes row of "pilots.csv", or: each user takes random row of "pilots.csv"',
    );
  const table = (parts[2] ?? parts[3])!;
  const start = text.lastIndexOf(table);
  return { table, range: { start, end: start + table.length }, order: parts[1] ? 'random' : 'in turn' };
}

function readStop(text: string): StopCondition {
  const parts = /^stop\s+when\s+(?<bound>.+?)\s+for\s+(?<time>\S.*)$/d.exec(text);
  if (!parts?.indices?.groups)
    throw loadError(
      wholeOf(text),
      'It is not said for how long that has to be so.',
      'It is written: stop when failed > 20 % for 10 s',
    );
  const [from, to] = parts.indices.groups.bound!;
  const time = { start: parts.indices.groups.time![0], end: text.length };
  const bound = boundAt(text, { start: from, end: to });
  const over = readTime(text, time);
  if (over < shortestWatch)
    throw loadError(
      time,
      'That is too short: figures are gathered by the second.',
      'Write at least: for 1 s',
    );
  return { text: text.slice(from), range: wholeOf(text), bound, over };
}

function boundAt(text: string, place: Range): Bound {
  try {
    const bound = parseBound(text.slice(place.start, place.end));
    if (bound.of === undefined && bound.phase === undefined) return bound;
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    const { range, message, remedy } = error;
    throw loadError({ start: place.start + range.start, end: place.start + range.end }, message, remedy);
  }
  throw loadError(place, 'What ends a run is measured over all of it.', 'Leave out what it is of.');
}

/** Users are counted whole. */
function refuseParts(amount: number, unit: LoadUnit, range: Range): void {
  if (unit === 'users' && !Number.isInteger(amount))
    throw loadError(range, `There are no ${amount} users.`, 'Users are counted whole.');
}

interface Change {
  readonly start: number;
  readonly to: number;
  readonly unit: LoadUnit;
  /** Whether something else was counted above. */
  readonly hadOther: boolean;
  readonly range: Range;
}

function refuseWrongWay(verb: PhaseParts['verb'], { start, to, unit, hadOther, range }: Change): void {
  if (verb === 'stay' || (verb === 'rise' ? to > start : to < start)) return;
  const what = unit === 'users' ? 'users' : 'rounds/s';
  const now = hadOther ? `in ${what} it begins at 0` : `it begins at ${start} ${what}`;
  const remedy =
    to === start
      ? 'What is to stay as it is is written: stay 5 min'
      : `Write: ${verb === 'rise' ? 'fall' : 'rise'} to ${to} ${what} in …`;
  throw loadError(range, `That does not ${verb}: ${now}.`, remedy);
}
