type Histogram = ReturnType<typeof import('node:perf_hooks').createHistogram>;

/** Up to so many times are kept as they are; a histogram takes the place of more. */
const keptTimes = 1000;
/** In microseconds: what is longer than an hour counts as that. */
const longest = 3_600_000_000;

/**
 * Durations in milliseconds, of which percentiles can be told. A few are kept as they are, so that the percentiles of a
 * short run are exact and nothing has to be loaded; many go into a histogram of high dynamic range (three digits are
 * right), so that what is held does not grow. Two of them can be added up exactly.
 */
export class DurationHistogram {
  count = 0;
  sum = 0;
  #min = Number.POSITIVE_INFINITY;
  #max = 0;
  /** In microseconds, as the histogram has them. */
  #few: number[] = [];
  #many: Histogram | undefined;

  add(milliseconds: number): void {
    this.#count(1, milliseconds, milliseconds, milliseconds);
    this.#record(Math.min(longest, Math.max(1, Math.round(milliseconds * 1000))));
  }

  /** Takes in all that another one holds. */
  merge(other: DurationHistogram): void {
    if (other.count === 0) return;
    this.#count(other.count, other.sum, other.#min, other.#max);
    if (!other.#many) for (const each of other.#few) this.#record(each);
    else this.#histogram().add(other.#many as Parameters<Histogram['add']>[0]);
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
    if (this.#many) return Math.min(this.#many.percentile(percent) / 1000, this.#max);
    this.#few.sort((a, b) => a - b);
    const rank = Math.max(0, Math.ceil((percent / 100) * this.#few.length) - 1);
    return this.#few[rank]! / 1000;
  }

  #count(count: number, sum: number, min: number, max: number): void {
    this.count += count;
    this.sum += sum;
    if (min < this.#min) this.#min = min;
    if (max > this.#max) this.#max = max;
  }

  #record(microseconds: number): void {
    if (this.#many) this.#many.record(microseconds);
    else if (this.#few.push(microseconds) > keptTimes) this.#histogram();
  }

  #histogram(): Histogram {
    if (!this.#many) {
      const { createHistogram } = process.getBuiltinModule('node:perf_hooks');
      this.#many = createHistogram({ lowest: 1, highest: longest, figures: 3 });
      for (const each of this.#few) this.#many.record(each);
      this.#few = [];
    }
    return this.#many;
  }
}
