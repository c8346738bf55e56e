import type { ApiDefinition, MediaType, Operation, Parameter } from '../../core/definition/api.ts';
import { Unresolved } from '../../core/definition/document/document-set.ts';
import {
  isJsonObject,
  type Json,
  type JsonObject,
  member,
  members,
} from '../../core/definition/document/json.ts';
import { takesJson, typeName } from '../../core/definition/media-types.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { fieldLine } from '../field-lines.ts';
import type { ImportedRequest } from '../imported.ts';
import { jsonText, Named } from '../json-text.ts';
import { nameOf } from '../plain-text.ts';
import { givenValue, sampleOf } from '../sample.ts';
import type { Authorizations } from './authorizations.ts';
import type { Flow } from './flow.ts';
import { type Producers, passwordName } from './producers.ts';

/** A request, and the values that it takes from variables. */
export interface WrittenRequest {
  readonly request: ImportedRequest;
  readonly variables: ReadonlyMap<string, string | number | boolean>;
}

/** Writes requests as a person would: what other cases give by its name, what has to be there, and nothing more. */
export class RequestWriter {
  constructor(
    readonly api: ApiDefinition,
    readonly producers: Producers,
    readonly flow: Flow,
    readonly authorizations: Authorizations,
  ) {}

  /** @param known names that other cases keep, or that are variables already */
  write(operation: Operation): WrittenRequest {
    const variables = new Map<string, string | number | boolean>();
    const headers: [string, string][] = [];
    for (const parameter of operation.parameters)
      if (
        parameter.in === 'header' &&
        parameter.required &&
        !/^(?:accept|content-type|authorization)$/i.test(parameter.name)
      )
        headers.push([headerName(parameter.name), withoutReferences(asText(this.#sample(parameter)))]);
    const target = this.#path(operation, variables) + this.#query(operation);
    const cookies = operation.parameters.filter(each => each.in === 'cookie' && each.required);
    if (cookies.length > 0)
      headers.push([
        'Cookie',
        cookies.map(each => `${each.name}=${withoutReferences(asText(this.#sample(each)))}`).join('; '),
      ]);
    const body = this.#body(operation, headers);
    return { request: { method: operation.method, target, headers, ...(body && { body }) }, variables };
  }

  #path(operation: Operation, variables: Map<string, string | number | boolean>): string {
    return operation.path.replace(/\{([^{}]*)\}|[{}\s]/g, (whole, name: string | undefined) => {
      if (name === undefined) return encodeURIComponent(whole);
      const known = this.producers.nameOf(operation, name) ?? nameOf(name);
      if (this.flow.takes(operation, known)) return `{${known}}`;
      // What another case keeps under this name would be hidden.
      const own = this.producers.makerOf(known) ? `known-${known}` : known;
      const parameter = operation.parameters.find(each => each.in === 'path' && each.name === name);
      variables.set(own, plainOf(parameter ? this.#sample(parameter) : 'text'));
      return `{${own}}`;
    });
  }

  #query(operation: Operation): string {
    const pairs = operation.parameters
      .filter(each => each.in === 'query' && each.required)
      .flatMap(each => {
        const value = this.#sample(each);
        const name = encodeURIComponent(each.name);
        if (!Array.isArray(value)) return [`${name}=${encodeURIComponent(asText(value))}`];
        const texts = value.map(item => encodeURIComponent(asText(item)));
        return each.explode ? texts.map(text => `${name}=${text}`) : [`${name}=${texts.join(',')}`];
      });
    return pairs.length === 0 ? '' : `?${pairs.join('&')}`;
  }

  #sample({ located, schema, name }: Parameter): Json {
    const example = givenValue(located.value);
    if (example !== undefined && !isJsonObject(example)) return example;
    return (schema && sampleOf(this.api.documents, schema)) ?? name;
  }

  #body(operation: Operation, headers: [string, string][]): ImportedRequest['body'] | undefined {
    const { body } = operation;
    const media = body && preferred(body.content);
    if (!media) return undefined;
    const sample = media.examples[0]?.value ?? (media.schema && sampleOf(this.api.documents, media.schema));
    const type = typeToSend(media.type, sample);
    if (/^application\/x-www-form-urlencoded/i.test(type) && isJsonObject(sample))
      return { form: 'form', text: this.#fieldLines(operation, sample) };
    if (/^multipart\//i.test(type))
      return {
        form: 'multipart',
        text: this.#fieldLines(operation, isJsonObject(sample) ? sample : {}, this.#partTypes(media)),
      };
    if (sample === undefined && !body!.required) return undefined;
    headers.push(['Content-Type', withoutReferences(type)]);
    if (takesJson(type)) {
      const known = this.#withNames(operation, sample ?? {});
      return { text: jsonText(known) };
    }
    const text = typeof sample === 'string' ? sample : sample === undefined ? '' : JSON.stringify(sample);
    return { form: 'text', text: withoutReferences(text) };
  }

  /** A line each: `name = value`. */
  #fieldLines(
    operation: Operation,
    sample: JsonObject,
    types: ReadonlyMap<string, string> = new Map(),
  ): string {
    return this.#members(operation, sample)
      .flatMap(([name, value]) => {
        const line = fieldLine(
          name,
          value instanceof Named ? { reference: `{${value.name}}` } : asText(value),
        );
        const type = types.get(name);
        return type === undefined ? line : line.map(each => `${each} as ${type}`);
      })
      .join('\n');
  }

  /** The types of parts that have one, as either version of the standard says it. */
  #partTypes({ schema, located }: MediaType): ReadonlyMap<string, string> {
    const target = schema && this.api.documents.resolve(schema);
    const properties =
      target && !(target instanceof Unresolved) ? members(member(target.value, 'properties')) : [];
    const types = [
      ...properties.map(([name, each]) => [name, member(each, 'contentMediaType')] as const),
      ...members(located.value.encoding).map(([name, each]) => [name, member(each, 'contentType')] as const),
    ];
    const isType = (type: Json | undefined): type is string =>
      typeof type === 'string' && /^[\w.+-]+\/[\w.+-]+$/.test(type) && type !== 'text/plain';
    return new Map(types.flatMap(([name, type]) => (isType(type) ? [[name, type]] : [])));
  }

  /** What the last part of a path is called, where it is a parameter that another case gives. */
  #lastOfPath(operation: Operation): string | undefined {
    const [, parameter] = /\{([^{}]*)\}\/?$/.exec(operation.path) ?? [];
    const name = parameter === undefined ? undefined : this.producers.nameOf(operation, parameter);
    return name !== undefined && this.flow.takes(operation, name) ? name : undefined;
  }

  #withNames(operation: Operation, sample: Json): Json {
    if (!isJsonObject(sample)) return sample;
    const object: { [name: string]: Json | Named } = {};
    for (const [name, value] of this.#members(operation, sample))
      Object.defineProperty(object, name, { value, enumerable: true });
    return object as Json;
  }

  /** Members that are called like what another case keeps stand for it; what signs in is a secret. */
  #members(operation: Operation, sample: JsonObject): [name: string, value: Json | Named][] {
    const own = new Set(
      operation.parameters.map(each => this.producers.nameOf(operation, each.name) ?? nameOf(each.name)),
    );
    const last = this.#lastOfPath(operation);
    return Object.entries(sample).flatMap(([name, value]): [string, Json | Named][] => {
      if (/^_?id$/i.test(name) && typeof value !== 'object')
        // It is the one that the path names, or the service gives it.
        return last === undefined ? [] : [[name, new Named(last, typeof value === 'string')]];
      if (typeof value === 'string' && passwordName.test(name))
        return [[name, new Named(this.authorizations.passwordIn(operation, name).slice(1, -1), true)]];
      const isIdentifier = (typeof value === 'string' || typeof value === 'number') && name !== 'name';
      // What its own path names is not what it says.
      const ids = [nameOf(name), nameOf(`${name}-id`)].filter(each => !own.has(each));
      const known = isIdentifier ? ids.find(each => this.flow.takes(operation, each)) : undefined;
      return [[name, known === undefined ? value : new Named(known, typeof value === 'string')]];
    });
  }
}

/** The type that a body of a range has: an object is JSON, wherever it may be. */
export function typeToSend(type: string, sample: Json | undefined): string {
  if (!/\/\*/.test(type)) return type;
  if (takesJson(type) && typeof sample === 'object') return 'application/json';
  return typeName(type) === 'text/*' ? 'text/plain' : 'application/octet-stream';
}

/** JSON first, then what can be written as fields. */
function preferred(content: readonly MediaType[]): MediaType | undefined {
  const orders = [/^application\/json/i, /json/i, /urlencoded/i, /^multipart\//i, /./];
  for (const order of orders) {
    const found = content.find(({ type }) => order.test(type));
    if (found) return found;
  }
  return undefined;
}

function asText(value: Json): string {
  return typeof value === 'string' ? value : JSON.stringify(value);
}

function plainOf(value: Json): string | number | boolean {
  return typeof value === 'object' ? asText(value) : value;
}

function headerName(name: string): string {
  return name.replace(/[^!#$%&'*+.^_`|~\w-]/g, '-');
}
