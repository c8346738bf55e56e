import { CORE_SCHEMA, constructFromEvents, mergeTag, parseEvents, YAMLException } from 'js-yaml';
import { SourceError } from '../../model/finding.ts';
import type { Range, Source } from '../../model/source.ts';
import { refuseEndless } from './aliases.ts';
import { isJsonObject, type Json, type JsonObject } from './json.ts';
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

  /**
   * A member of an object or an item of a list, with all the digits of its numbers. Nothing where it is more than anybody
   * reads.
   */
  exact(container: object, key: string | number): Json | undefined {
    const value = (container as Members)[key]!;
    const look = { left: mostValues, losesDigits: false };
    if (!canBeWritten(value, look)) return undefined;
    return look.losesDigits ? this.#exactly(container, key) : value;
  }

  #exactly(container: object, key: string | number): Json {
    const value = (container as Members)[key]!;
    if (typeof value === 'number') return this.#all.numbers.get(container)?.get(String(key)) ?? value;
    if (Array.isArray(value)) return value.map((_, index) => this.#exactly(value, index));
    if (!isJsonObject(value)) return value;
    const copy: JsonObject = {};
    for (const name of Object.keys(value))
      Object.defineProperty(copy, name, {
        value: this.#exactly(value, name),
        enumerable: true,
        writable: true,
        configurable: true,
      });
    return copy;
  }

  /** Where a member of an object or an item of a list is named; without one, where the object begins. */
  range(container: object, key?: string | number): Range {
    return this.#all.range(container, key);
  }
}

interface Members {
  readonly [key: string | number]: Json;
}

/** So many values may be in one that is written into a page. */
const mostValues = 5000;

/** Counts what is in a value, each time that it is there, and notes doubles that may stand for a number with more digits. */
function canBeWritten(value: Json, look: { left: number; losesDigits: boolean }): boolean {
  if (--look.left < 0) return false;
  if (typeof value === 'number' && !Number.isSafeInteger(value) && String(value).length > 15)
    look.losesDigits = true;
  return (
    typeof value !== 'object' ||
    value === null ||
    Object.values(value).every(each => canBeWritten(each, look))
  );
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
    refuseEndless(events, text);
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
