import { SourceError } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import type { ApiDefinition, OpenApiVersion } from './api.ts';
import { readDocument } from './document/document.ts';
import { DocumentSet, type Located, type ReadText } from './document/document-set.ts';
import { isJsonObject, type JsonObject, member } from './document/json.ts';
import { readApi } from './read-api.ts';
import { readSwagger } from './read-swagger.ts';

/**
 * Reads a definition of an API, as far as its form allows: what is not as it should be is as if it were not there, and is
 * for the rules to tell. Throws the SourceError that keeps it from being read at
 * all: it is no JSON or YAML, or no definition of a version that is known.
 */
export function readDefinition(source: Source, readText: ReadText): ApiDefinition {
  const document = readDocument(source);
  const { value } = document;
  if (!isJsonObject(value))
    throw new SourceError(
      'definition-unreadable',
      { start: 0, end: 0 },
      'This is no definition of an API.',
      begins,
    );
  const root: Located<JsonObject> = { value, document };
  const version = versionOf(root);
  const documents = new DocumentSet(document, readText);
  return version === '2.0' ? readSwagger(root, documents) : readApi(root, documents, version);
}

const begins = 'One of OpenAPI begins with its version: openapi: 3.1.0';

function versionOf({ value, document }: Located<JsonObject>): OpenApiVersion {
  const key = ['openapi', 'swagger'].find(name => Object.hasOwn(value, name));
  if (key === undefined)
    throw new SourceError(
      'definition-unreadable',
      { start: 0, end: 0 },
      `This is no definition of an API: it says no version of OpenAPI${typeof value.asyncapi === 'string' ? ', and is one of messages' : ''}.`,
      begins,
    );
  const written = String(member(value, key));
  const range = document.range(value, key);
  // YAML takes 2.0 for a number.
  const version = key === 'swagger' ? (/^2(?:\.0)?$/.test(written) ? '2.0' : undefined) : openApi(written);
  if (version) return version;
  throw new SourceError(
    'definition-unreadable',
    range,
    `'${written}' is no version of OpenAPI that this version of Mervok can read.`,
    `It reads 2.0 (swagger: "2.0"), 3.0 and 3.1 (openapi: 3.1.0).`,
  );
}

function openApi(written: string): OpenApiVersion | undefined {
  const [, version] = /^(3\.[01])(?:\.\d+(?:-\S+)?)?$/.exec(written) ?? [];
  return version as OpenApiVersion | undefined;
}
