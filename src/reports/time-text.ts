import { durationText } from '../core/values/text.ts';

/** A measured time with three digits, which is as much as anybody reads: `12.3 ms`. */
export function timeText(milliseconds: number): string {
  return durationText(Number(milliseconds.toPrecision(3)));
}
