import { UsageError } from '../core/model/usage-error.ts';
import { readDuration } from '../core/values/compare.ts';

// Values of options, read. Each throws UsageError, with the option's name and a right form.

export function readCount(option: string, text: string): number {
  const count = Number(text);
  if (Number.isSafeInteger(count) && count >= 1) return count;
  throw new UsageError(`${option} takes a whole number from 1, not '${text}'.`);
}

/** In milliseconds. */
export function readTime(option: string, text: string): number {
  const duration = readDuration(text);
  if (duration && duration.milliseconds > 0) return duration.milliseconds;
  const example = /^\d+(?:\.\d+)?$/.test(text) && Number(text) > 0 ? `${text}s, or ${text}ms` : '30s';
  throw new UsageError(
    `${option} takes a number and its unit (ms, s, min, h), not '${text}'. For example: ${option} ${example}`,
  );
}

/** A time, or a range of times: `1s`, `500ms..3s`; in milliseconds. */
export function readTimeRange(option: string, text: string): { from: number; to: number } {
  const [first = '', last, ...more] = text.split('..');
  const from = readTime(option, first.trim());
  const to = last === undefined ? from : readTime(option, last.trim());
  if (more.length === 0 && from <= to) return { from, to };
  throw new UsageError(
    `${option} takes a time, or a range of times from short to long, not '${text}'. For example: ${option} 500ms..3s`,
  );
}

/** `1%`, from 0 to 1. */
export function readShare(option: string, text: string): number {
  const [, number] = /^(\d+(?:\.\d+)?)\s*%$/.exec(text) ?? [];
  const share = text === '0' ? 0 : Number(number) / 100;
  if (share >= 0 && share <= 1) return share;
  throw new UsageError(`${option} takes a share from 0% to 100%, not '${text}'. For example: ${option} 1%`);
}
