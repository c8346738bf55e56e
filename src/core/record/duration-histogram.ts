import type { RecordedDurations } from '../model/load-events.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';

/** Up to so many times are kept as they are; counts of cells take the place of more. */
const keptTimes = 1000;
/** In microseconds: what is longer than an hour counts as that. */
const longest = 3_600_000_000;
/** Each power of two is divided into so many cells, below twice of it each microsecond is one. */
const cellsOfPower = 1024;

/**
 * Durations in milliseconds, of which percentiles can be told. A few are kept as they are, so that the percentiles of a
 * short run are exact; many are counted in cells that grow with the times (a time is told within a twentieth of a percent),
 * so that what is held does not grow. Two of them can be added up exactly, wherever they were counted.
 */
export class DurationHistogram {
  count = 0;
  sum = 0;
  #min = Number.POSITIVE_INFINITY;
  #max = 0;
  /** In microseconds. */
  #few: number[] = [];
  #cells: Cells | undefined;

  add(milliseconds: number): void {
    this.count++;
    this.sum += milliseconds;
    if (milliseconds < this.#min) this.#min = milliseconds;
    if (milliseconds > this.#max) this.#max = milliseconds;
    const microseconds = Math.min(longest, Math.max(1, Math.round(milliseconds * 1000)));
    if (this.#cells) this.#cells.add(cellOf(microseconds), 1);
    else if (this.#few.push(microseconds) > keptTimes) this.#countCells();
  }

  /** Takes in all that another one holds. */
  merge(other: DurationHistogram): void {
    if (other.count === 0) return;
    this.#addUp(other.count, other.sum, other.#min, other.#max);
    for (const [microseconds, count] of other.#counts()) this.#addCount(microseconds, count);
  }

  /** The same for what was written down. */
  addRecorded({ count, sum, min, max, cells }: RecordedDurations): void {
    if (count === 0) return;
    this.#addUp(count, sum, min, max);
    for (let at = 0; at < cells.length; at += 2) this.#addCount(cells[at]!, cells[at + 1]!);
  }

  get recorded(): RecordedDurations {
    const cells: number[] = [];
    for (const [microseconds, count] of this.#sorted()) cells.push(microseconds, count);
    const [min, max] = this.count === 0 ? [0, 0] : [toMicrosecond(this.#min), toMicrosecond(this.#max)];
    return { count: this.count, sum: toMicrosecond(this.sum), min, max, cells };
  }

  get min(): number | undefined {
    return this.count === 0 ? undefined : this.#min;
  }

  get max(): number | undefined {
    return this.count === 0 ? undefined : this.#max;
  }

  get mean(): number | undefined {
    return this.count === 0 ? undefined : this.sum / this.count;
  }

  /** The time within which so many percent of them lie, in milliseconds; nothing where there are none. */
  percentile(percent: number): number | undefined {
    if (this.count === 0) return undefined;
    const rank = Math.max(1, Math.ceil((percent / 100) * this.count));
    if (!this.#cells) {
      this.#few.sort((a, b) => a - b);
      return this.#few[rank - 1]! / 1000;
    }
    if (rank >= this.count) return this.#max;
    let seen = 0;
    for (const [microseconds, count] of this.#cells.counts()) {
      seen += count;
      if (seen >= rank) return Math.min(Math.max(microseconds / 1000, this.#min), this.#max);
    }
    return this.#max;
  }

  #addUp(count: number, sum: number, min: number, max: number): void {
    this.count += count;
    this.sum += sum;
    if (min < this.#min) this.#min = min;
    if (max > this.#max) this.#max = max;
  }

  #addCount(microseconds: number, count: number): void {
    if (!this.#cells && this.#few.length + count > keptTimes) this.#countCells();
    if (this.#cells) this.#cells.add(cellOf(microseconds), count);
    else for (let n = 0; n < count; n++) this.#few.push(microseconds);
  }

  *#counts(): Generator<readonly [microseconds: number, count: number]> {
    if (this.#cells) yield* this.#cells.counts();
    else for (const each of this.#few) yield [each, 1];
  }

  *#sorted(): Generator<readonly [microseconds: number, count: number]> {
    if (this.#cells) {
      yield* this.#cells.counts();
      return;
    }
    const sorted = this.#few.sort((a, b) => a - b);
    for (let at = 0, next: number; at < sorted.length; at = next) {
      next = at + 1;
      while (next < sorted.length && sorted[next] === sorted[at]) next++;
      yield [sorted[at]!, next - at];
    }
  }

  #countCells(): void {
    this.#cells ??= new Cells();
    for (const each of this.#few) this.#cells.add(cellOf(each), 1);
    this.#few = [];
  }
}

/** Up to 2047 each microsecond has a cell of its own; above, each power of two has as many as the one below it. */
function cellOf(microseconds: number): number {
  const shift = Math.max(0, 21 - Math.clz32(microseconds));
  return shift * cellsOfPower + (microseconds >>> shift);
}

/** The middle of a cell, in microseconds. */
function timeOf(cell: number): number {
  if (cell < 2 * cellsOfPower) return cell;
  const shift = Math.floor(cell / cellsOfPower) - 1;
  const low = (cell - shift * cellsOfPower) * 2 ** shift;
  return low + 2 ** (shift - 1);
}

/** So many cells are added around those that are there. */
const room = 256;

/** How many durations each cell holds; of the cells between the shortest and the longest alone. */
class Cells {
  #counts = new Uint32Array(0);
  /** The first cell that there is a count for. */
  #from = 0;

  add(cell: number, count: number): void {
    const at = cell - this.#from;
    if (at < 0 || at >= this.#counts.length) this.#makeRoom(cell);
    this.#counts[cell - this.#from]! += count;
  }

  /** From short to long. */
  *counts(): Generator<readonly [microseconds: number, count: number]> {
    for (let at = 0; at < this.#counts.length; at++)
      if (this.#counts[at]! > 0) yield [timeOf(this.#from + at), this.#counts[at]!];
  }

  #makeRoom(cell: number): void {
    const isFirst = this.#counts.length === 0;
    const from = Math.max(0, isFirst ? cell - room : Math.min(this.#from, cell - room));
    const to = isFirst ? cell + room : Math.max(this.#from + this.#counts.length, cell + room);
    const counts = new Uint32Array(to - from);
    if (!isFirst) counts.set(this.#counts, this.#from - from);
    this.#counts = counts;
    this.#from = from;
  }
}
