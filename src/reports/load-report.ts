import type { Ending, Report } from './endings.ts';

/** Formats are loaded where a report is written: few runs do that. */
export async function loadReport(ending: Ending): Promise<Report> {
  return (await import('./formats.ts')).loadFormat(ending);
}
