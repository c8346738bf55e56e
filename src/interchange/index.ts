import type { ReadText } from '../core/definition/document/document-set.ts';
import type { Json } from '../core/definition/document/json.ts';
import { openDefinition } from '../core/definition/index.ts';
import { loadPatterns } from '../core/language/patterns.ts';
import { type Finding, finding, findingOf, SourceError } from '../core/model/finding.ts';
import { Source } from '../core/model/source.ts';
import { loadXml } from '../core/values/xml.ts';
import { namesIn } from './beside-settings.ts';
import { importHar } from './har/import-har.ts';
import { isRecording } from './har/read-har.ts';
import type { ImportedCollection } from './imported.ts';
import { importOpenApi } from './openapi/import-openapi.ts';

import { importWsdl } from './wsdl/import-wsdl.ts';

export { type Existing, filesOf, type ImportedFile, type ImportedFiles } from './merge-pages.ts';

// Everything that is imported, as a part of the bundle of its own. What goes in and out is plain data.

/** What an import of one file comes to; or why it cannot be read. */
export type Imported =
  | {
      readonly collection: ImportedCollection;
      /** Files that the collection needs, by their paths as seen from the imported one; the first is that itself. */
      readonly needs: readonly string[];
      /** What must not stand in any page, in any form. */
      readonly secrets: readonly string[];
      readonly finding?: undefined;
    }
  | { readonly finding: Finding; readonly collection?: undefined };

/** Where an import goes. */
export interface ImportTarget {
  /** Where the definition will be, as the settings name it. */
  readonly definitionAt: string;
  /** The texts of the settings that are there. */
  readonly settings: readonly string[];
}

/**
 * Reads a file in one of the forms that are known.
 * @param name of the file, as messages call it
 */
export async function importFile(
  { name, text, readText }: { readonly name: string; readonly text: string; readonly readText: ReadText },
  { definitionAt, settings }: ImportTarget,
): Promise<Imported> {
  const source = new Source(name, text);
  if (/^\s*<[?!A-Za-z]/.test(source.text.slice(0, 1000))) return importService(source, readText);
  if (/^\s*\{/.test(text.slice(0, 1000)) && /"entries"\s*:/.test(text))
    return await importRecording(source, settings);
  const { api, finding } = openDefinition(source, readText);
  if (!api) return { finding };
  api.documents.readAll();
  const needs = api.documents.documents.map(({ source }) => source.file);
  return { collection: importOpenApi(api, definitionAt), needs, secrets: [] };
}

async function importService(source: Source, readText: ReadText): Promise<Imported> {
  await loadXml();
  try {
    const { collection } = importWsdl(source.file, source.text, readText);
    return { collection, needs: [], secrets: [] };
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    return { finding: findingOf(error, source) };
  }
}

async function importRecording(source: Source, settings: readonly string[]): Promise<Imported> {
  // What is found again in pages is found by patterns.
  await loadPatterns();
  try {
    const value = JSON.parse(source.text) as Json;
    if (!isRecording(value))
      throw new SourceError(
        'har-form',
        { start: 0, end: 0 },
        'This is no HTTP archive: it has no log of entries.',
      );
    return { ...importHar(value, source.file, namesIn(settings)), needs: [] };
  } catch (error) {
    if (error instanceof SourceError) return { finding: findingOf(error, source) };
    if (!(error instanceof SyntaxError)) throw error;
    // Newer versions of the runtime say where; where it is cut off, that is the end.
    const at = Number(/position (\d+)/.exec(error.message)?.[1] ?? source.text.length);
    const range = { start: Math.min(at, source.text.length), end: Math.min(at + 1, source.text.length) };
    const why = at >= source.text.length - 1 ? 'it breaks off' : 'something else should stand here';
    return { finding: finding('har-form', { source, range }, `This recording is no JSON: ${why}.`) };
  }
}
