import type { ApiDefinition, Operation, Parameter } from '../../core/definition/api.ts';
import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
import { givenValue, sampleOf } from '../../core/definition/sample.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import type { ImportedRequest } from '../imported.ts';
import { nameOf } from '../plain-text.ts';
import type { Authorizations } from './authorizations.ts';
import type { Flow } from './flow.ts';
import type { Producers } from './producers.ts';
import { asText, BodyWriter, plainOf, type Variables } from './write-body.ts';

/** A request, and the values that it takes from variables. */
export interface WrittenRequest {
  readonly request: ImportedRequest;
  readonly variables: Variables;
  /** Files that it sends, which have to be there. */
  readonly files: readonly string[];
}

/** Writes requests as a person would: what other cases give by its name, what has to be there, and nothing more. */
export class RequestWriter {
  readonly #bodies: BodyWriter;

  constructor(
    readonly api: ApiDefinition,
    readonly producers: Producers,
    readonly flow: Flow,
    authorizations: Authorizations,
  ) {
    this.#bodies = new BodyWriter(api, producers, flow, authorizations);
  }

  write(operation: Operation): WrittenRequest {
    const variables: Variables = new Map();
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
    const written = this.#bodies.write(operation, variables);
    if (written?.contentType !== undefined)
      headers.push(['Content-Type', withoutReferences(written.contentType)]);
    return {
      request: { method: operation.method, target, headers, ...(written && { body: written.body }) },
      variables,
      files: written?.files ?? [],
    };
  }

  #path(operation: Operation, variables: Variables): string {
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
    const example = givenValue(located);
    if (example !== undefined && !isJsonObject(example)) return example;
    return (schema && sampleOf(this.api.documents, schema)) ?? name;
  }
}

function headerName(name: string): string {
  return name.replace(/[^!#$%&'*+.^_`|~\w-]/g, '-');
}
