import type { StatementNode } from '../language/ast.ts';
import { compileSchema, SchemaError, type Validator } from '../language/documents/schema.ts';
import { surveyOf } from '../language/walk.ts';
import { type Finding, finding } from '../model/finding.ts';
import type { Range, Source } from '../model/source.ts';
import { isObject, Missing, type Value } from '../model/value.ts';
import { statementsOf } from '../pages/page.ts';
import type { Level } from '../settings/level.ts';
import { resolvePath } from '../text/paths.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { JsonError, readJson } from '../values/json-document.ts';
import type { Collection, CollectionCase } from './collection.ts';

/** Reads a text file of the collection, by its path from the root; a Missing says why it cannot be read. */
export type ReadFile = (path: string) => string | Missing;

/** The schema that a `fits` names, as seen from the file that the check stands in. */
export type SchemaOf = (name: string, from: string) => Validator | undefined;

/** Makes ready every schema that checks of these cases name. `loadSchemas()` comes before. */
export function prepareSchemas(
  collection: Collection,
  cases: Iterable<CollectionCase>,
  readFile: ReadFile,
): { schemaOf: SchemaOf; findings: Finding[] } {
  const made = new Map<string, Validator | undefined>();
  const findings: Finding[] = [];
  const reader = new SchemaReader(readFile);
  for (const { name, source, range } of namedIn(cases)) {
    const key = keyOf(name, source.file);
    if (made.has(key)) continue;
    const fence = collection.pages.find(page => page.page.source === source)?.page.schemas.get(name);
    try {
      made.set(key, fence ? reader.fromText(fence.text, source.file) : reader.fromFile(name, source.file));
    } catch (error) {
      made.set(key, undefined);
      if (error instanceof NotFoundError) {
        const known = [
          ...(collection.pages.find(page => page.page.source === source)?.page.schemas.keys() ?? []),
        ];
        const remedy =
          didYouMean(name, known) ?? (known.length > 0 ? `There are ${inWords(known)}.` : undefined);
        findings.push(
          finding(
            'schema-missing',
            { source, range },
            error.message,
            remedy ?? 'A file has the ending .json, and its path is relative to the page.',
          ),
        );
      } else if (error instanceof JsonError && fence) {
        const place = fence.range(error.offset, error.offset + 1);
        findings.push(
          finding('schema-form', { source, range: place }, `This schema is no JSON: ${error.message}.`),
        );
      } else if (error instanceof SchemaError || error instanceof JsonError) {
        const place = fence ? fence.range(0, Math.max(0, fence.text.indexOf('\n'))) : range;
        const what = fence ? 'This schema' : `'${name}'`;
        findings.push(
          finding('schema-form', { source, range: place }, `${what} cannot be used: ${error.message}.`),
        );
      } else throw error;
    }
  }
  return { schemaOf: (name, from) => made.get(keyOf(name, from)), findings };
}

function keyOf(name: string, from: string): string {
  return `${from}\n${name}`;
}

interface Named {
  readonly name: string;
  readonly source: Source;
  readonly range: Range;
}

/** Every schema that is named, and where. */
function* namedIn(cases: Iterable<CollectionCase>): Generator<Named> {
  const seen = new Set<Level>();
  for (const { page, written, levels } of cases) {
    for (const statement of statementsOf(written)) yield* namedBy(statement, page.page.source);
    for (const level of levels) {
      if (seen.has(level)) continue;
      seen.add(level);
      for (const check of level.checks ?? []) yield* namedBy(check, level.source);
    }
  }
}

function* namedBy(statement: StatementNode, source: Source): Generator<Named> {
  for (const { predicate } of surveyOf(statement).comparisons)
    if (predicate.test === 'fits') yield { name: predicate.schema, source, range: predicate.range };
}

class NotFoundError extends Error {}

class SchemaReader {
  constructor(readonly readFile: ReadFile) {}

  fromText(text: string, file: string): Validator {
    return this.#compile(readJson(text), file);
  }

  fromFile(name: string, from: string): Validator {
    if (!name.includes('.')) throw new NotFoundError(`There is no \`json schema ${name}\` on this page.`);
    const path = resolvePath(from.replace(/[^/]*$/, ''), name);
    const text = this.readFile(path);
    if (text instanceof Missing) throw new NotFoundError(`${text.reason}.`);
    return this.#compile(readJson(text), path);
  }

  /** With the files of the collection that it refers to, and that those refer to. */
  #compile(schema: Value, file: string): Validator {
    const others = new Map<string, Value>();
    const gather = (document: Value, from: string) => {
      for (const reference of filesReferredTo(document)) {
        const path = resolvePath(from.replace(/[^/]*$/, ''), reference);
        if (path === file || others.has(uriOf(path))) continue;
        const text = this.readFile(path);
        if (text instanceof Missing)
          throw new SchemaError(`its $ref '${reference}' leads nowhere: ${text.reason}`);
        const other = readJson(text);
        others.set(uriOf(path), other);
        gather(other, path);
      }
    };
    gather(schema, file);
    return compileSchema(schema, uriOf(file), others);
  }
}

/** A schema that is named outside of any page. Throws SchemaError. */
export function schemaFromFile(name: string, readFile: ReadFile): Validator {
  try {
    return new SchemaReader(readFile).fromFile(name, '');
  } catch (error) {
    if (!(error instanceof NotFoundError || error instanceof JsonError)) throw error;
    throw new SchemaError(error.message.replace(/\.$/, ''));
  }
}

/** Deep enough for files beside the collection, where those are allowed, to have addresses of their own. */
const rootUri = `file:///${'in/'.repeat(20)}`;

function uriOf(path: string): string {
  return new URL(path.split('/').map(encodeURIComponent).join('/'), rootUri).href;
}

/** What `$ref` names, but for parts of the document itself and for addresses, which are never fetched. */
function filesReferredTo(document: Value): Set<string> {
  const files = new Set<string>();
  const visit = (value: Value): void => {
    if (Array.isArray(value)) value.forEach(visit);
    else if (isObject(value)) {
      const { $ref } = value;
      if (typeof $ref === 'string' && /^[^#:]+\.json(?:#|$)/.test($ref)) files.add($ref.replace(/#.*$/, ''));
      Object.values(value).forEach(visit);
    }
  };
  // A schema with an address of its own refers to others by theirs.
  if (!isObject(document) || document.$id === undefined) visit(document);
  return files;
}
