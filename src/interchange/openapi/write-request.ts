import type { ApiDefinition, MediaType, Operation, Parameter } from '../../core/definition/api.ts';
import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
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
    const type = media.type.replace('*/*', 'application/octet-stream').replace('/*', '/plain');
    if (/^application\/x-www-form-urlencoded/i.test(type) && isJsonObject(sample))
      return { form: 'form', text: fieldLines(sample) };
    if (/^multipart\//i.test(type))
      return { form: 'multipart', text: fieldLines(isJsonObject(sample) ? sample : {}) };
    if (sample === undefined && !body!.required) return undefined;
    headers.push(['Content-Type', withoutReferences(type)]);
    if (/json/i.test(type)) {
      const known = this.#withNames(operation, sample ?? {});
      return { text: jsonText(known) };
    }
    const text = typeof sample === 'string' ? sample : sample === undefined ? '' : JSON.stringify(sample);
    return { form: 'text', text: withoutReferences(text) };
  }

  /** What the last part of a path is called, where it is a parameter that another case gives. */
  #lastOfPath(operation: Operation): string | undefined {
    const [, parameter] = /\{([^{}]*)\}\/?$/.exec(operation.path) ?? [];
    const name = parameter === undefined ? undefined : this.producers.nameOf(operation, parameter);
    return name !== undefined && this.flow.takes(operation, name) ? name : undefined;
  }

  /** Members that are called like what another case keeps stand for it; what signs in is a secret. */
  #withNames(operation: Operation, sample: Json): Json | Named {
    if (!isJsonObject(sample)) return sample;
    const own = new Set(
      operation.parameters.map(each => this.producers.nameOf(operation, each.name) ?? nameOf(each.name)),
    );
    const object: { [name: string]: Json | Named } = {};
    const last = this.#lastOfPath(operation);
    for (const [name, value] of Object.entries(sample)) {
      if (/^_?id$/i.test(name) && typeof value !== 'object') {
        // It is the one that the path names, or the service gives it.
        if (last !== undefined)
          Object.defineProperty(object, name, {
            value: new Named(last, typeof value === 'string'),
            enumerable: true,
          });
        continue;
      }
      if (typeof value === 'string' && passwordName.test(name)) {
        const secret = this.authorizations.passwordIn(operation, name).slice(1, -1);
        Object.defineProperty(object, name, { value: new Named(secret, true), enumerable: true });
        continue;
      }
      const isIdentifier = (typeof value === 'string' || typeof value === 'number') && name !== 'name';
      // What its own path names is not what it says.
      const ids = [nameOf(name), nameOf(`${name}-id`)].filter(each => !own.has(each));
      const names = isIdentifier ? ids : [];
      const known = names.find(each => this.flow.takes(operation, each));
      Object.defineProperty(object, name, {
        value: known === undefined ? value : new Named(known, typeof value === 'string'),
        enumerable: true,
      });
    }
    return object as Json;
  }
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

/** A line each: `name = value`. */
function fieldLines(sample: { [name: string]: Json }): string {
  return Object.entries(sample)
    .flatMap(([name, value]) => fieldLine(name, asText(value)))
    .join('\n');
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
