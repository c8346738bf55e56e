import { csvReport } from './csv.ts';
import type { Ending, Report } from './endings.ts';
import { harReport } from './har.ts';
import { jsonReport } from './json.ts';
import { junitReport } from './junit.ts';
import { markdownReport } from './markdown.ts';
import { ndjsonReport } from './ndjson.ts';
import { tapReport } from './tap.ts';

/** Each format by the ending of its file; those that need much are files of their own in the bundle. */
const formats: { readonly [ending in Ending]: () => Report | Promise<Report> } = {
  '.html': async () => (await import('./page/report.ts')).pageReport,
  '.pdf': async () => (await import('./pdf/report.ts')).pdfReport,
  '.md': () => markdownReport,
  '.xlsx': async () => (await import('./spreadsheet.ts')).spreadsheetReport,
  '.csv': () => csvReport,
  '.json': () => jsonReport,
  '.ndjson': () => ndjsonReport,
  '.har': () => harReport,
  '.xml': () => junitReport,
  '.tap': () => tapReport,
};

export async function loadFormat(ending: Ending): Promise<Report> {
  return formats[ending]();
}
