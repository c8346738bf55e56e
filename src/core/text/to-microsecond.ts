/** A time in milliseconds, to the microsecond: more digits would only fill the record. */
export function toMicrosecond(milliseconds: number): number {
  return Math.round(milliseconds * 1000) / 1000;
}
