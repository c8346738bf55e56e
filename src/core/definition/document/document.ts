import { CORE_SCHEMA, constructFromEvents, mergeTag, parseEvents, YAMLException } from 'js-yaml';
import { SourceError } from '../../model/finding.ts';
import type { Range, Source } from '../../model/source.ts';
import type { Json } from './json.ts';
import { Places } from './places.ts';

/** How deep a definition may be nested. */
const deepest = 500;

/** The text of a file, JSON or YAML, as values; where each of them stands is found when it is first asked for. */
export class DefinitionDocument {
  #places: Places | undefined;

  constructor(
    readonly source: Source,
    readonly value: Json,
    readonly findPlaces: () => Places,
  ) {}

  get #all(): Places {
    this.#places ??= this.findPlaces();
    return this.#places;
  }

  /** Where a member of an object or an item of a list is named; without one, where the object begins. */
  range(container: object, key?: string | number): Range {
    return this.#all.range(container, key);
  }
}

/** Reads JSON and YAML 1.2. Throws SourceError. */
export function readDocument(source: Source): DefinitionDocument {
  const { text } = source;
  try {
    const events = parseEvents(text, { maxDepth: deepest });
    const documents = constructFromEvents(events, { source: text, schema: CORE_SCHEMA.withTags(mergeTag) });
    if (documents.length > 1)
      throw new SourceError(
        'definition-unreadable',
        { start: 0, end: 0 },
        `This file holds ${documents.length} documents, and a definition is one.`,
      );
    const value = (documents[0] ?? null) as Json;
    return new DefinitionDocument(source, value, () => new Places(text, events, value));
  } catch (error) {
    if (!(error instanceof YAMLException)) throw error;
    const start = Math.min(error.mark?.position ?? 0, text.length);
    const name = /^\s*[{[]/.test(text) ? 'JSON' : 'YAML';
    const range = { start, end: Math.min(start + 1, text.length) };
    throw new SourceError('definition-unreadable', range, `This is no ${name}: ${error.reason}.`);
  }
}
