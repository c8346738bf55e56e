import { existsSync } from 'node:fs';
import { openNamed, type WrittenTable, withoutSheet } from '../core/analysis/tables.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { TableError } from '../core/values/table-reader.ts';
import { openUnchanging } from '../platform/files.ts';

/**
 * The table in a file, as seen from the working folder; behind a '#' the sheet of a workbook. Throws UsageError.
 * @param use what it is for, in words that follow its name
 */
export async function openTable(name: string, use = ''): Promise<WrittenTable> {
  const path = withoutSheet(name);
  if (!existsSync(path)) throw new UsageError(`There is no file '${path}'${use}.`);
  try {
    return await openNamed(name, openUnchanging(path));
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    throw new UsageError(`${error.message}.`);
  }
}
