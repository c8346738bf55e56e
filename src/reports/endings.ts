import type { RunEvent } from '../core/model/events.ts';
import type { RunTotals } from '../core/record/totals.ts';

/** A report as a function of the record and its totals; it comes in parts, so that no report has to fit in memory. */
export type Report = (
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
) => AsyncIterable<string | Uint8Array>;

/** What each ending of a file stands for. To add one: a line here, one in formats.ts, and a file beside it. */
const formats = {
  '.html': 'a page to read',
  '.pdf': 'a document to print',
  '.md': 'a summary for a review',
  '.xlsx': 'a spreadsheet',
  '.csv': 'an exchange a line',
  '.json': 'for programs',
  '.ndjson': 'the record',
  '.har': 'HTTP archive',
  '.xml': 'JUnit',
  '.tap': 'TAP 14',
} as const;

export type Ending = keyof typeof formats;

export const endings = Object.keys(formats) as Ending[];

/** How a format is called where a path does not tell it: as its ending, or as everybody calls it. */
const names = new Map<string, Ending>([
  ...endings.map(each => [each.slice(1), each] as const),
  ['junit', '.xml'],
]);

export function endingNamed(name: string): Ending | undefined {
  return names.get(name.toLowerCase());
}

/** Formats that are no text. */
export const binary: ReadonlySet<Ending> = new Set(['.pdf', '.xlsx']);

/** `.html (a page to read), .pdf (a document to print), …` */
export const endingsInWords = Object.entries(formats)
  .map(([ending, what]) => `${ending} (${what})`)
  .join(', ');

export function endingOf(file: string): Ending | undefined {
  const ending = /\.[^./\\]+$/.exec(file)?.[0].toLowerCase();
  return endings.find(each => each === ending);
}
