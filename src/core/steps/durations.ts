import { Duration, type Found, Missing, Plain } from '../model/value.ts';
import { plainAs } from '../values/compare.ts';
import { textOf } from '../values/text.ts';

/** What stands where a duration is wanted. */
export function asDuration(value: Found): Duration | Missing {
  const read = value instanceof Plain ? plainAs(value, 'duration') : value;
  if (read instanceof Duration || read instanceof Missing) return read;
  return new Missing(`'${textOf(read) ?? 'it'}' is no duration; write for example 2 s`);
}
