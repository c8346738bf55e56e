import { createHash } from 'node:crypto';
import type { Difference } from '../../language/difference.ts';
import { inWords } from '../../text/words.ts';
import {
  type ApiDefinition,
  type ApiResponse,
  type MediaType,
  type Operation,
  operationTitle,
} from '../api.ts';
import { describedPart, requiredMembers } from '../described-part.ts';
import { mediaTypeFor, takesJson } from '../media-types.ts';
import { SchemaSet } from '../schemas/schema-set.ts';
import { type Decision, decide } from './decide.ts';
import type {
  Described,
  DescribedAnswer,
  DescribedRequest,
  Held,
  HeldExchange,
  HeldRequest,
  Holder,
  SampledAnswer,
} from './held-exchange.ts';
import { OperationMatcher, pathOf } from './match-operation.ts';
import { memberNames, RequestLook, type RequestLooked } from './request-look.ts';
import { ResponseLook } from './response-look.ts';
import { sampleAnswer } from './sample-answer.ts';

interface Found {
  readonly operation: Operation;
  readonly response: ApiResponse | undefined;
  readonly request: RequestLooked;
  readonly said: Described;
}

type PathValues = ReadonlyMap<string, string>;

/** A request that was looked at. */
interface Asked {
  readonly sent: HeldExchange['sent'];
  readonly operation: Operation;
  readonly request: RequestLooked;
  readonly members: readonly string[];
}

/** Holds exchanges to a definition. What it needs of that is made ready when it is first asked for. */
export class DefinitionHolder implements Holder {
  readonly #matcher: OperationMatcher;
  readonly #request: RequestLook;
  readonly #response: ResponseLook;
  #hash: string | undefined;
  #lastAsked: Asked | undefined;
  /** Where paths counted from the last time: mostly it is the same. */
  #begin = { at: '', origin: originOf(''), path: '' };

  constructor(readonly api: ApiDefinition) {
    this.#matcher = new OperationMatcher(api);
    this.#request = new RequestLook(api, new SchemaSet(api.version, api.documents, 'request'));
    this.#response = new ResponseLook(api, new SchemaSet(api.version, api.documents, 'response'));
  }

  get hash(): string {
    this.#hash ??= hashOf(this.api);
    return this.#hash;
  }

  hold(exchange: HeldExchange, at: string): Held {
    const { status } = exchange;
    const found = this.#find(exchange, at);
    if ('differences' in found) return found;
    const { operation, response, request, said } = found;
    const about = { ...said, notes: request.notes };
    if (!response) {
      const known = [...operation.responses.keys()];
      const expected = known.length === 0 ? 'a status that is described' : inWords(known, 'or');
      return { ...about, differences: [{ at: 'status', expected, found: String(status) }] };
    }
    // What a server refuses may be wrong.
    const wrong = status >= 400 && status < 500 ? [] : request.differences;
    const seen = decide(() => this.#response.look(exchange, response, operation.method));
    return { ...about, ...joined(wrong, seen) };
  }

  describe(exchange: Omit<HeldExchange, 'body'>, at: string): Described | undefined {
    const found = this.#find(exchange, at);
    return 'differences' in found ? undefined : found.said;
  }

  faults(request: HeldRequest, at: string): readonly Difference[] | undefined {
    const matched = this.#operationFor(request, at);
    return matched && this.#request.look(request, matched.operation, matched.pathValues).differences;
  }

  request(asked: Parameters<Holder['request']>[0], at: string): DescribedRequest | undefined {
    const matched = this.#operationFor(asked, at);
    if (!matched) return undefined;
    const { operation } = matched;
    const schema = jsonOf(operation.body?.content ?? [])?.schema;
    return {
      operation: operationTitle(operation),
      requiredParameters: operation.parameters.flatMap(each =>
        each.required ? [`${each.in} ${each.name}`] : [],
      ),
      requiredMembers: schema ? requiredMembers(this.api.documents, schema) : [],
      statuses: [...operation.responses.keys()],
    };
  }

  answer(exchange: Parameters<Holder['answer']>[0], at: string): DescribedAnswer | undefined {
    const matched = this.#operationFor(exchange, at);
    const response = matched && responseFor(matched.operation.responses, exchange.status);
    if (!response) return undefined;
    const { content } = response;
    const { contentType } = exchange;
    const schema = (contentType === undefined ? jsonOf(content) : mediaTypeFor(content, contentType))?.schema;
    return {
      headers: new Map(response.headers.map(({ name, required }) => [name.toLowerCase(), { required }])),
      part: way => schema && describedPart(this.api.documents, schema, way),
    };
  }

  sample(request: Pick<HeldRequest, 'method' | 'url'>, at: string): SampledAnswer | undefined {
    const matched = this.#operationFor(request, at);
    return matched && sampleAnswer(this.api, matched.operation);
  }

  #operationFor({ method, url }: Pick<HeldRequest, 'method' | 'url'>, at: string) {
    const path = this.#pathBelow(url, at);
    const begin = this.#begin.path;
    if (path === undefined || this.#matcher.restOf(path, begin) === undefined) return undefined;
    return this.#matcher.find(method, path, begin);
  }

  /** What a request says; several responses to the same one may be held, one after the other. */
  #askedOf(exchange: Omit<HeldExchange, 'body'>, operation: Operation, pathValues: PathValues): Asked {
    const { sent } = exchange;
    const last = this.#lastAsked;
    if (last?.sent === sent && last.operation === operation) return last;
    const request = this.#request.look(exchange, operation, pathValues);
    this.#lastAsked = { sent, operation, request, members: memberNames(exchange) };
    return this.#lastAsked;
  }

  /** What an exchange is for, and what its request says; or why it is for nothing that is described. */
  #find(exchange: Omit<HeldExchange, 'body'>, at: string): Found | Held {
    const { method, url, status } = exchange;
    const path = this.#pathBelow(url, at);
    const begin = this.#begin.path;
    const rest = path === undefined ? undefined : this.#matcher.restOf(path, begin);
    if (path === undefined || rest === undefined)
      return nothingHeld(`${method} ${withoutQuery(url)} is outside of ${at}`);
    const matched = this.#matcher.find(method, path, begin);
    if (!matched) return this.#notDescribed(exchange, path, begin, rest);
    const { operation, pathValues } = matched;
    const response = responseFor(operation.responses, status);
    const { request, members } = this.#askedOf(exchange, operation, pathValues);
    const said: Described = {
      operation: operationTitle(operation),
      ...(response && { status: response.status }),
      parameters: request.parameters,
      members,
    };
    return { operation, response, request, said };
  }

  /** The path of an address; nothing where it is at another origin than that which paths count from. */
  #pathBelow(url: string, at: string): string | undefined {
    if (this.#begin.at !== at) this.#begin = { at, origin: originOf(at), path: pathOf(at) };
    const { origin } = this.#begin;
    // Most are written as their origin is.
    const isSame = url.startsWith(origin) && !/[^/?#]/.test(url.charAt(origin.length));
    if (!isSame && originOf(url) !== origin) return undefined;
    return /^[a-z][a-z0-9+.-]*:\/\/[^/?#]*([^?#]*)/i.exec(url)?.[1] || '/';
  }

  /** An operation that is not described: where the service does not know it either, nothing is wrong. */
  #notDescribed(
    { method, status }: Omit<HeldExchange, 'body'>,
    path: string,
    at: string,
    rest: string,
  ): Held {
    const title = `${method} ${rest}`;
    if (status === 404 || status === 405 || status === 501)
      return nothingHeld(`${title} is not described, and the service does not know it either (${status})`);
    const others = this.#matcher.methodsFor(path, at);
    const expected =
      others.length === 0 ? 'an operation that is described' : `one of the methods ${inWords(others)}`;
    return {
      differences: [{ at: others.length === 0 ? 'url' : 'method', expected, found: title }],
      notes: [],
      parameters: [],
      members: [],
    };
  }
}

function jsonOf(content: readonly MediaType[]): MediaType | undefined {
  return content.find(({ type }) => takesJson(type));
}

function joined(
  wrong: readonly Difference[],
  { differences, notHeld, undecided }: Decision,
): Omit<Held, 'notes' | 'parameters' | 'members'> {
  const all = [...differences, ...wrong];
  if (all.length > 0) return { differences: all };
  if (undecided !== undefined) return { differences: [], undecided };
  return { differences: [], ...(notHeld !== undefined && { notHeld }) };
}

/** SHA-256 of a definition and of all files that it refers to, as hexadecimal digits. */
export function hashOf({ documents }: ApiDefinition): string {
  documents.readAll();
  const hash = createHash('sha256');
  const byName = documents.documents.toSorted((a, b) => (a.source.file < b.source.file ? -1 : 1));
  for (const { source } of byName) hash.update(source.text).update('\0');
  return hash.digest('hex');
}

function nothingHeld(reason: string): Held {
  return { notHeld: reason, differences: [], notes: [], parameters: [], members: [] };
}

/** The exact status goes before its class, and that before what holds for all others. */
function responseFor(responses: ReadonlyMap<string, ApiResponse>, status: number): ApiResponse | undefined {
  const range = `${Math.floor(status / 100)}XX`;
  return (
    responses.get(String(status)) ??
    responses.get(range) ??
    responses.get(range.toLowerCase()) ??
    responses.get('default')
  );
}

function originOf(url: string): string {
  const [, scheme = '', host = ''] = /^([a-z][a-z0-9+.-]*):\/\/([^/?#]*)/i.exec(url) ?? [];
  const usual = scheme.toLowerCase() === 'http' ? /:80$/ : /:443$/;
  return `${scheme}://${host.replace(/^[^@]*@/, '').replace(usual, '')}`.toLowerCase();
}

function withoutQuery(url: string): string {
  return url.replace(/[?#].*$/, '');
}
