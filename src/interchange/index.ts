import type { ReadText } from '../core/definition/document/document-set.ts';
import { openDefinition } from '../core/definition/index.ts';
import type { Finding } from '../core/model/finding.ts';
import { Source } from '../core/model/source.ts';
import type { ImportedCollection } from './imported.ts';
import { importOpenApi } from './openapi/import-openapi.ts';

export { type Existing, filesOf, type ImportedFile, type ImportedFiles } from './merge-pages.ts';

// Everything that is imported, as a part of the bundle of its own. What goes in and out is plain data.

/** What an import of one file comes to; or why it cannot be read. */
export type Imported =
  | {
      readonly collection: ImportedCollection;
      /** Files that the collection needs, by their paths as seen from the imported one; the first is that itself. */
      readonly needs: readonly string[];
      readonly finding?: undefined;
    }
  | { readonly finding: Finding; readonly collection?: undefined };

/**
 * Reads a file in one of the forms that are known.
 * @param name of the file, as messages call it
 * @param definitionAt where the definition will be, as the settings name it
 */
export function importFile(
  { name, text, readText }: { readonly name: string; readonly text: string; readonly readText: ReadText },
  definitionAt: string,
): Imported {
  const { api, finding } = openDefinition(new Source(name, text), readText);
  if (!api) return { finding };
  api.documents.readAll();
  const needs = api.documents.documents.map(({ source }) => source.file);
  return { collection: importOpenApi(api, definitionAt), needs };
}
