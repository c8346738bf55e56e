import { loadSchemas } from '../language/documents/schema.ts';
import type { ExercisedOperation } from '../model/exercised.ts';
import { type Finding, findingOf, SourceError } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import type { ApiDefinition } from './api.ts';
import { type Coverage, coverageOf } from './coverage.ts';
import type { ReadText } from './document/document-set.ts';
import type { Holder } from './hold/held-exchange.ts';
import { DefinitionHolder } from './hold/hold.ts';
import { readDefinition } from './read-definition.ts';
import { findingsOfDefinition, loadRules } from './rules/index.ts';

// All that is done with definitions of an API, as a part of the bundle of its own: a run without one loads none of it.
// What goes in and out is plain data, since each part has classes of its own.

/** A definition, or what keeps it from being read. */
export type OpenedDefinition =
  | { readonly api: ApiDefinition; readonly finding?: undefined }
  | { readonly api?: undefined; readonly finding: Finding };

export function openDefinition(source: Source, readText: ReadText): OpenedDefinition {
  try {
    return { api: readDefinition(source, readText) };
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    return { finding: findingOf(error, source) };
  }
}

/** Everything that rules find in a definition. */
export async function lookThrough(api: ApiDefinition, asked: ReadonlySet<string>): Promise<Finding[]> {
  await loadRules();
  return findingsOfDefinition(api, asked);
}

/** SHA-256 of a definition with all its files, as hexadecimal digits. */
export { hashOf } from './hold/hold.ts';

/** How much of a definition was exercised. */
export function exercisedPart(
  api: ApiDefinition,
  exercised: ReadonlyMap<string, ExercisedOperation>,
  all: boolean,
): Coverage {
  return coverageOf(api, exercised, all);
}

/** What holds exchanges to a definition. */
export async function holderOf(api: ApiDefinition): Promise<Holder> {
  await loadSchemas();
  return new DefinitionHolder(api);
}
