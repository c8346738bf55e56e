import type { RunEvent } from '../core/record/events.ts';
import type { Tally } from '../core/record/tally.ts';
import { jsonReport } from './json.ts';
import { junitReport } from './junit.ts';
import { ndjsonReport } from './ndjson.ts';

/** A report as a function of the record and its totals; it comes in parts, so that no report has to fit in memory. */
export type Report = (events: AsyncIterable<RunEvent>, tally: Tally) => AsyncIterable<string>;

/** The formats by the ending of the file. To add one: a file beside this one, and a line here. */
export const reports: { readonly [ending: string]: Report } = {
  '.xml': junitReport,
  '.json': jsonReport,
  '.ndjson': ndjsonReport,
};

export const endingsInWords = '.xml (JUnit), .json or .ndjson (the record)';

export function endingOf(file: string): string | undefined {
  const ending = /\.[^./\\]+$/.exec(file)?.[0].toLowerCase();
  return ending !== undefined && Object.hasOwn(reports, ending) ? ending : undefined;
}
