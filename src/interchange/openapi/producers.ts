import type { ApiDefinition, ApiResponse, Operation, Parameter } from '../../core/definition/api.ts';
import { type Located, Unresolved } from '../../core/definition/document/document-set.ts';
import { isJsonObject, type Json, member, members, textOf } from '../../core/definition/document/json.ts';
import { takesJson } from '../../core/definition/media-types.ts';
import { securityOf } from '../../core/definition/security.ts';
import { memberStep } from '../../core/language/looked-at.ts';
import { passwordName } from '../password-name.ts';
import { nameOf } from '../plain-text.ts';
import { singularOf } from '../singular.ts';

// Where a parameter of a path may come from: the operation whose response gives it.

/** A name that a case keeps, and the statement that does. */
export interface Kept {
  readonly name: string;
  readonly statement: string;
  readonly secret: boolean;
}

/** An operation whose response gives a value, and the beginning of the statement that keeps it. */
interface Producer {
  readonly operation: Operation;
  readonly statement: string;
}

const tokenName = /^(?:token|access_?token|id_?token|jwt|bearer|auth_?token|session_?token)$/i;

/** Words that say nothing of what they are of. */
const general = /^(?:id|uuid|guid|key|slug|name|code|number|identifier)$/i;

/** Finds for each parameter of each path what it is called, and who gives it. */
export class Producers {
  readonly #byPlace = new Map<string, string>();
  readonly #kept = new Map<Operation, Kept[]>();
  readonly #makers = new Map<string, Operation>();

  constructor(readonly api: ApiDefinition) {
    for (const operation of api.operations) {
      const segments = operation.path.split('/').slice(1);
      for (const parameter of operation.parameters)
        if (parameter.in === 'path') this.#find(operation, segments, parameter);
    }
  }

  /**
   * The case that signs in gives the token that others bear: one that takes a password and gives something that is called
   * a token. @param token the name of what they bear
   */
  signsIn(token: string): boolean {
    for (const operation of this.api.operations) {
      if (operation.method !== 'POST' || securityOf(this.api, operation).some(({ size }) => size > 0))
        continue;
      const takes = operation.body?.content.some(({ schema }) => schema && this.#has(schema, passwordName));
      const response = takes ? successOf(operation) : undefined;
      const schema = response && jsonSchemaOf(response);
      const member = schema && [...this.#membersOf(schema).keys()].find(name => tokenName.test(name));
      if (member === undefined) continue;
      this.#keep(operation, token, `keep $${memberStep(member)} as secret ${token}`);
      return true;
    }
    return false;
  }

  #has(schema: Located, name: RegExp): boolean {
    return [...this.#membersOf(schema).keys()].some(each => name.test(each));
  }

  /** What a parameter of a path is called in pages; nothing where it is in no path. */
  nameOf(operation: Operation, parameter: string): string | undefined {
    const place = placeOf(operation.path.split('/').slice(1), parameter);
    return place === undefined ? undefined : this.#byPlace.get(place);
  }

  /** What a case of an operation keeps for others. */
  keptBy(operation: Operation): readonly Kept[] {
    return this.#kept.get(operation) ?? [];
  }

  /** The operation whose case keeps a name. */
  makerOf(name: string): Operation | undefined {
    return this.#makers.get(name);
  }

  #find(operation: Operation, segments: readonly string[], parameter: Parameter): void {
    const place = placeOf(segments, parameter.name);
    if (place === undefined || this.#byPlace.has(place)) return;
    const name = nameFor(segments, parameter.name);
    // Of one name there is one who gives it.
    const known = this.#makers.get(name);
    const producer = known
      ? undefined
      : (this.#linked(operation, parameter.name) ?? this.#made(segments, parameter));
    this.#byPlace.set(place, name);
    if (producer) this.#keep(producer.operation, name, `${producer.statement} as ${name}`);
  }

  #keep(operation: Operation, name: string, statement: string): void {
    const kept = this.#kept.get(operation) ?? [];
    this.#kept.set(operation, [...kept, { name, statement, secret: / as secret /.test(statement) }]);
    this.#makers.set(name, operation);
  }

  /** An operation whose link names this one. */
  #linked(target: Operation, parameter: string): Producer | undefined {
    for (const operation of this.api.operations) {
      if (operation === target) continue;
      for (const { links, status } of operation.responses.values())
        for (const { value } of links.values()) {
          const isThis =
            (target.id !== undefined && value.operationId === target.id) ||
            textOf(value.operationRef)?.endsWith(
              `/${target.path.replaceAll('/', '~1')}/${target.method.toLowerCase()}`,
            );
          const expression =
            isThis && /^2/.test(status) ? textOf(member(value.parameters, parameter)) : undefined;
          const statement = expression === undefined ? undefined : keepOfExpression(expression);
          if (statement !== undefined) return { operation, statement };
        }
    }
    return undefined;
  }

  /** One that makes what the path names, else one that lists them. */
  #made(segments: readonly string[], parameter: Parameter): Producer | undefined {
    const at = segments.indexOf(`{${parameter.name}}`);
    const resource = segments[at - 1];
    if (resource === undefined || resource.startsWith('{')) return undefined;
    const before = segments.slice(0, at).join('/');
    const own = (each: Operation) => each.path.slice(1).replace(/\/$/, '') === before;
    const alike = (each: Operation) => each.path.split('/').at(-1) === resource;
    const makers = this.api.operations.filter(each => each.method === 'POST' && (own(each) || alike(each)));
    for (const operation of makers.sort((a, b) => Number(own(b)) - Number(own(a)))) {
      const statement = this.#keepFromMade(operation, parameter, resource);
      if (statement !== undefined) return { operation, statement };
    }
    for (const operation of this.api.operations.filter(each => each.method === 'GET' && own(each))) {
      const statement = this.#keepFromList(operation, parameter, resource);
      if (statement !== undefined) return { operation, statement };
    }
    return undefined;
  }

  #keepFromMade(operation: Operation, parameter: Parameter, resource: string): string | undefined {
    const response = successOf(operation);
    if (!response) return undefined;
    const schema = jsonSchemaOf(response);
    const found = schema && this.#memberFor(schema, parameter, resource, '$');
    if (found !== undefined) return `keep ${found}`;
    const location = response.headers.some(({ name }) => /^location$/i.test(name));
    return location ? String.raw`keep location /([^\/]+)$/` : undefined;
  }

  #keepFromList(operation: Operation, parameter: Parameter, resource: string): string | undefined {
    const response = successOf(operation);
    const schema = response && jsonSchemaOf(response);
    if (!schema) return undefined;
    for (const [way, items] of this.#listsIn(schema)) {
      const found = this.#memberFor(items, parameter, resource, `${way}[*]`);
      if (found !== undefined) return `keep first ${found}`;
    }
    return undefined;
  }

  /** A list itself, or those that are members of an object. */
  *#listsIn(schema: Located): Generator<[way: string, items: Located]> {
    const target = this.api.documents.resolve(schema);
    if (target instanceof Unresolved) return;
    const items = member(target.value, 'items');
    if (items !== undefined) yield ['$', { value: items, document: target.document }];
    for (const [name, each] of this.#membersOf(target)) {
      const inner = this.api.documents.resolve(each);
      const list = inner instanceof Unresolved ? undefined : member(inner.value, 'items');
      if (list !== undefined && !(inner instanceof Unresolved))
        yield [`$${memberStep(name)}`, { value: list, document: inner.document }];
    }
  }

  /** The member of a value that a parameter means: by its schema, then by its name. */
  #memberFor(schema: Located, parameter: Parameter, resource: string, way: string): string | undefined {
    const found = this.#membersOf(schema);
    const names = [...found.keys()];
    const singular = singularOf(resource);
    const wanted = [
      parameter.name,
      'id',
      `${singular}Id`,
      `${singular}_id`,
      singular,
      'uuid',
      'code',
      'key',
      'slug',
      'number',
      'name',
    ];
    const same = names.find(name => general.test(name) && this.#isSame(found.get(name)!, parameter.schema));
    const byName = wanted.flatMap(each => names.find(name => plain(name) === plain(each)) ?? []);
    const name =
      byName[0] !== undefined && plain(byName[0]) === plain(parameter.name) ? byName[0] : (same ?? byName[0]);
    if (name !== undefined && !this.#isObject(found.get(name)!)) return way + memberStep(name);
    // Some put everything into one member.
    const data = ['data', 'result', 'metadata', singular, 'item'].find(
      each => found.has(each) && this.#isObject(found.get(each)!),
    );
    return data === undefined || way.split('.').length > 2
      ? undefined
      : this.#memberFor(found.get(data)!, parameter, resource, way + memberStep(data));
  }

  #isObject(located: Located): boolean {
    return this.#membersOf(located).size > 0;
  }

  /** Whether two schemas are the same one, or want the same of a text. */
  #isSame(one: Located, other: Located | undefined): boolean {
    if (!other) return false;
    const [a, b] = [this.api.documents.resolve(one), this.api.documents.resolve(other)];
    if (a instanceof Unresolved || b instanceof Unresolved) return false;
    if (a.value === b.value) return true;
    const wants = (value: Json) =>
      [member(value, 'pattern'), member(value, 'format')].filter(each => each !== undefined);
    return wants(a.value).length > 0 && JSON.stringify(wants(a.value)) === JSON.stringify(wants(b.value));
  }

  #membersOf(schema: Located, seen = new Set<Json>()): Map<string, Located> {
    const found = new Map<string, Located>();
    const target = this.api.documents.resolve(schema);
    if (target instanceof Unresolved || !isJsonObject(target.value) || seen.has(target.value)) return found;
    seen.add(target.value);
    const { value, document } = target;
    for (const [name, each] of members(value.properties)) found.set(name, { value: each, document });
    for (const keyword of ['allOf', 'oneOf', 'anyOf']) {
      const parts = member(value, keyword);
      for (const each of Array.isArray(parts) ? parts : [])
        for (const [name, inner] of this.#membersOf({ value: each, document }, seen))
          if (!found.has(name)) found.set(name, inner);
    }
    return found;
  }
}

/** The response that says that all is well. */
export function successOf({ responses }: Operation): ApiResponse | undefined {
  const found = [...responses.values()].filter(({ status }) => /^2/.test(status));
  return found.find(({ status }) => /^\d+$/.test(status)) ?? found[0];
}

function jsonSchemaOf({ content }: ApiResponse): Located | undefined {
  return content.find(({ type, schema }) => schema && takesJson(type))?.schema;
}

/** Up to the parameter, whatever others are called. */
function placeOf(segments: readonly string[], parameter: string): string | undefined {
  const at = segments.indexOf(`{${parameter}}`);
  if (at < 0) return undefined;
  return segments
    .slice(0, at + 1)
    .map(each => (each.startsWith('{') ? '{}' : each))
    .slice(-2)
    .join('/');
}

/** `pet-id` for `{petId}`; `pet` for what is only called `{id}` behind `/pets`. */
function nameFor(segments: readonly string[], parameter: string): string {
  const resource = segments[segments.indexOf(`{${parameter}}`) - 1];
  if (!general.test(parameter) || resource === undefined || resource.startsWith('{'))
    return nameOf(parameter);
  return nameOf(`${singularOf(resource)}-${parameter}`);
}

function plain(name: string): string {
  return name.toLowerCase().replace(/[^a-z\d]/g, '');
}

/** A runtime expression of a link (OpenAPI, Runtime Expressions) as what a statement keeps. */
function keepOfExpression(expression: string): string | undefined {
  const pointer = /^\{?\$response\.body#(\/[^}]*)\}?$/.exec(expression)?.[1];
  if (pointer !== undefined)
    return `keep $${pointer
      .split('/')
      .slice(1)
      .map(step =>
        /^\d+$/.test(step) ? `[${step}]` : memberStep(step.replaceAll('~1', '/').replaceAll('~0', '~')),
      )
      .join('')}`;
  const header = /^\{?\$response\.header\.([\w-]+)\}?$/.exec(expression)?.[1];
  return header === undefined ? undefined : `keep header ${header.toLowerCase()}`;
}
