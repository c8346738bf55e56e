import type { Difference } from '../../language/difference.ts';
import { valuesOfHeader } from '../../text/header-values.ts';
import { inWords } from '../../text/words.ts';
import type { ApiDefinition, Operation, SecurityRequirement } from '../api.ts';
import type { Json } from '../document/json.ts';
import { isJsonObject, members } from '../document/json.ts';
import { isJsonType, mediaTypeFor, typeName, typesInWords } from '../media-types.ts';
import type { SchemaSet } from '../schemas/schema-set.ts';
import { securityOf } from '../security.ts';
import { decide } from './decide.ts';
import type { HeldExchange } from './held-exchange.ts';
import {
  coerce,
  decodePlus,
  propertyNames,
  type RequestFields,
  readQuery,
  typesOf,
  valueOfParameter,
} from './parameter-values.ts';

type Request = Pick<HeldExchange, 'url' | 'sent'>;

export interface RequestLooked {
  /** What would be a defect of the service if it took it. */
  readonly differences: readonly Difference[];
  readonly notes: readonly string[];
  readonly parameters: readonly string[];
}

/** Headers that the standard leaves out of the parameters. */
const notParameters: ReadonlySet<string> = new Set(['accept', 'content-type', 'authorization']);

/** Looks whether a request is as it is described. */
export class RequestLook {
  constructor(
    readonly api: ApiDefinition,
    readonly schemas: SchemaSet,
  ) {}

  look(exchange: Request, operation: Operation, pathValues: ReadonlyMap<string, string>): RequestLooked {
    const fields: RequestFields = {
      pathValues,
      query: readQuery(exchange.url),
      headers: exchange.sent.headers,
      cookies: cookiesOf(exchange),
    };
    const parameters: string[] = [];
    const differences: Difference[] = [];
    for (const parameter of operation.parameters) {
      const { name, in: place, required, schema } = parameter;
      if (place === 'header' && notParameters.has(name.toLowerCase())) continue;
      const value = valueOfParameter(parameter, fields, this.api.documents);
      const at = `sent ${place} ${name}`;
      if (value === undefined) {
        if (required) differences.push({ at, expected: `the parameter ${name}`, found: 'none' });
        continue;
      }
      parameters.push(`${place} ${name}`);
      if (!schema || value === '') continue;
      // What cannot be decided of a request is no defect of the service.
      differences.push(
        ...decide(() => ({ differences: this.schemas.differences(schema, value, at) })).differences,
      );
    }
    differences.push(...this.#body(exchange, operation), ...this.#security(fields, operation));
    return { differences, notes: this.#notes(fields, operation), parameters };
  }

  #body({ sent }: Request, { body }: Operation): Difference[] {
    if (!body) return [];
    if (!sent.hasBody)
      return body.required
        ? [{ at: 'sent body', expected: `a body of ${typesInWords(body.content)}`, found: 'none' }]
        : [];
    const [contentType] = valuesOfHeader(sent.headers, 'content-type');
    const media = mediaTypeFor(body.content, contentType);
    if (!media) {
      const expected = typesInWords(body.content);
      return body.content.length === 0
        ? []
        : [{ at: 'sent header content-type', expected, found: contentType ?? 'none' }];
    }
    const { schema } = media;
    if (!schema || sent.body === undefined) return [];
    const name = typeName(contentType ?? media.type);
    if (isJsonType(name)) {
      const value = readJson(sent.body);
      if (value === undefined) return [{ at: 'sent body', expected: 'a JSON document', found: 'none' }];
      return [
        ...decide(() => ({ differences: this.schemas.differences(schema, value, 'sent $') })).differences,
      ];
    }
    if (name !== 'application/x-www-form-urlencoded') return [];
    const pairs = readQuery(`?${sent.body}`);
    const names = new Set(pairs.map(([each]) => each));
    const properties = isJsonObject(schema.value) ? members(schema.value.properties) : [];
    const value: { [name: string]: Json } = {};
    for (const each of names) {
      const values = pairs.filter(([other]) => other === each).map(([, text]) => decodePlus(text));
      const own = properties.find(([property]) => property === each)?.[1];
      const inner = own === undefined ? undefined : { value: own, document: schema.document };
      const isList = typesOf(inner, this.api.documents).has('array');
      value[each] = coerce(isList ? values : values.at(-1)!, inner, this.api.documents);
    }
    return [
      ...decide(() => ({ differences: this.schemas.differences(schema, value, 'sent $') })).differences,
    ];
  }

  #security(fields: RequestFields, operation: Operation): Difference[] {
    const wanted = securityOf(this.api, operation);
    if (wanted.length === 0 || wanted.some(each => this.#isFulfilled(each, fields))) return [];
    const names = [...new Set(wanted.flatMap(each => [...each.keys()]))];
    return [{ at: 'sent credentials', expected: `credentials for ${inWords(names, 'or')}`, found: 'none' }];
  }

  /** Whether a request brings what a requirement wants; what cannot be seen in it is taken for given. */
  #isFulfilled(requirement: SecurityRequirement, { headers, query, cookies }: RequestFields): boolean {
    const [authorization = ''] = valuesOfHeader(headers, 'authorization');
    return [...requirement.keys()].every(name => {
      const scheme = this.api.securitySchemes.get(name);
      if (!scheme) return true;
      const { kind, key } = scheme;
      if (key) {
        const among = key.in === 'query' ? query : key.in === 'cookie' ? cookies : headers;
        return among.some(([each]) => each.toLowerCase() === key.name.toLowerCase());
      }
      if (kind === 'basic' || kind === 'digest') return new RegExp(`^${kind} `, 'i').test(authorization);
      if (kind === 'bearer' || kind === 'oauth2' || kind === 'openid') return /^\S+ \S/.test(authorization);
      return true;
    });
  }

  /** Names in the query that nobody has described. */
  #notes({ query }: RequestFields, operation: Operation): readonly string[] {
    if (query.length === 0) return [];
    const described = operation.parameters.filter(each => each.in === 'query');
    const keys = [...this.api.securitySchemes.values()].flatMap(({ key }) =>
      key?.in === 'query' ? [key.name] : [],
    );
    const isDescribed = (name: string) =>
      keys.includes(name) ||
      described.some(
        each =>
          each.name === name ||
          `${each.name}[]` === name ||
          (each.style === 'deepObject' && name.startsWith(`${each.name}[`)) ||
          (each.explode && each.schema && propertyNames(each.schema, this.api.documents).has(name)),
      );
    const unknown = [...new Set(query.map(([name]) => name))].filter(name => !isDescribed(name));
    return unknown.map(name => `the query parameter '${name}'`);
  }
}

function cookiesOf({ sent }: Request): [string, string][] {
  return valuesOfHeader(sent.headers, 'cookie')
    .flatMap(value => value.split(';'))
    .map(pair => {
      const at = pair.indexOf('=');
      return [pair.slice(0, at).trim(), pair.slice(at + 1).trim()];
    });
}

function readJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

/** So many names of members are noted of a body. */
const mostNames = 500;

/** The members of a JSON body, as `captain.name` and `crew[].name`. */
export function memberNames({ sent }: Request): string[] {
  if (sent.body === undefined) return [];
  const [type] = valuesOfHeader(sent.headers, 'content-type');
  if (type === undefined || !isJsonType(typeName(type))) return [];
  const names = new Set<string>();
  const visit = (value: unknown, way: string, depth: number): void => {
    if (names.size >= mostNames || depth > 10 || typeof value !== 'object' || value === null) return;
    if (Array.isArray(value)) {
      for (const each of value.slice(0, 20)) visit(each, `${way}[]`, depth + 1);
      return;
    }
    for (const [name, each] of Object.entries(value)) {
      const inner = way === '' ? name : `${way}.${name}`;
      names.add(inner);
      visit(each, inner, depth + 1);
    }
  };
  visit(readJson(sent.body), '', 0);
  return [...names].slice(0, mostNames);
}
