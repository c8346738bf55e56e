import type { UTCDate } from '@date-fns/utc';
import { CalendarDate, Missing, Timestamp } from '../model/value.ts';

interface Library {
  readonly format: typeof import('date-fns/format').format;
  readonly parse: typeof import('date-fns/parse').parse;
  readonly UTCDate: typeof UTCDate;
}

let library: Library | undefined;

/** Loads what reads and writes dates by patterns. To be awaited before the first use of date() with a pattern. */
export async function loadDates(): Promise<void> {
  library ??= await import('./dates-library.ts');
}

/** Patterns are those of Unicode CLDR (UTS 35), so YYYY is the year of a week and D the day of a year. */
const options = { useAdditionalWeekYearTokens: true, useAdditionalDayOfYearTokens: true };

/** An instant as a pattern writes it, in UTC. */
export function writeDate(value: CalendarDate | Timestamp, pattern: string): string | Missing {
  const { format, UTCDate } = loaded();
  return guarded(pattern, () => format(new UTCDate(value.milliseconds), pattern, options));
}

/** What a text says by a pattern: a date, or a timestamp where the pattern has hours. Nothing where it is not so written. */
export function readDateBy(text: string, pattern: string): CalendarDate | Timestamp | Missing | undefined {
  const { parse, UTCDate } = loaded();
  const read = guarded(pattern, () => parse(text, pattern, new UTCDate(0), options).getTime());
  if (read instanceof Missing) return read;
  if (Number.isNaN(read)) return undefined;
  const hasTime = /[HhKkTt]/.test(pattern.replace(/'[^']*'/g, ''));
  return hasTime ? new Timestamp(read) : new CalendarDate(read);
}

function loaded(): Library {
  if (!library) throw new TypeError('loadDates() comes before the first date by a pattern.');
  return library;
}

/** The package throws RangeErrors at patterns that it does not know. */
function guarded<Result>(pattern: string, use: () => Result): Result | Missing {
  try {
    return use();
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    const char = /character `(.)`/.exec(error.message)?.[1];
    return new Missing(
      char === undefined
        ? `'${pattern}' is no pattern of a date`
        : `'${pattern}' is no pattern of a date: '${char}' means nothing in it; letters that stand for themselves are quoted ('T')`,
    );
  }
}
