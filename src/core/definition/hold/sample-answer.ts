import type { Value } from '../../model/value.ts';
import { writeJson } from '../../values/json-document.ts';
import {
  type ApiDefinition,
  type ApiResponse,
  type MediaType,
  type Operation,
  operationTitle,
} from '../api.ts';
import { isJsonType, typeName } from '../media-types.ts';
import { sampleOf } from '../sample.ts';
import type { SampledAnswer } from './held-exchange.ts';

/** The first status that says that all is well, with an example of its body, or one that its schema makes. */
export function sampleAnswer({ documents }: ApiDefinition, operation: Operation): SampledAnswer | undefined {
  const response = wellResponse(operation.responses);
  if (!response) return undefined;
  const status = /^\d{3}$/.test(response.status) ? Number(response.status) : 200;
  const about = { operation: operationTitle(operation), status };
  const media = response.content.find(({ type }) => isJsonType(typeName(type))) ?? response.content[0];
  if (!media || status === 204) return about;
  const contentType = media.type.includes('*') ? 'application/json' : media.type;
  const value = media.examples[0]?.value ?? sampleIn(media, documents);
  if (value === undefined) return { ...about, contentType };
  const isText = !isJsonType(typeName(contentType)) && typeof value === 'string';
  return { ...about, contentType, text: isText ? value : writeJson(value as Value, 2) };
}

function sampleIn({ schema }: MediaType, documents: ApiDefinition['documents']) {
  return schema && sampleOf(documents, schema, { skips: 'writeOnly' });
}

function wellResponse(responses: Operation['responses']): ApiResponse | undefined {
  const all = [...responses.values()];
  return (
    all.filter(({ status }) => /^2\d\d$/.test(status)).sort((a, b) => (a.status < b.status ? -1 : 1))[0] ??
    all.find(({ status }) => /^2xx$/i.test(status)) ??
    all.find(({ status }) => status === 'default')
  );
}
