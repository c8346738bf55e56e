import type { ApiDefinition, MediaType, Operation } from '../../core/definition/api.ts';
import { Unresolved } from '../../core/definition/document/document-set.ts';
import {
  isJsonObject,
  type Json,
  type JsonObject,
  member,
  members,
} from '../../core/definition/document/json.ts';
import { takesJson, typeName } from '../../core/definition/media-types.ts';
import { sampleOf } from '../../core/definition/sample.ts';
import { Exact } from '../../core/model/value.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { writeJson } from '../../core/values/json-document.ts';
import { isNumeric } from '../../core/values/number.ts';
import { fieldLine } from '../field-lines.ts';
import type { ImportedRequest, ImportedScalar } from '../imported.ts';
import { jsonText, Named } from '../json-text.ts';
import { passwordName } from '../password-name.ts';
import { nameOf, slugOf } from '../plain-text.ts';
import type { Authorizations } from './authorizations.ts';
import type { Flow } from './flow.ts';
import type { Producers } from './producers.ts';

/** Values of a page, by their names. */
export type Variables = Map<string, ImportedScalar>;

export interface WrittenBody {
  readonly body: NonNullable<ImportedRequest['body']>;
  /** Where its fence does not say it. */
  readonly contentType?: string;
  readonly files?: readonly string[];
}

/** Who signs in, beside a password. */
const userName = /^(?:user|user_?name|login|email|e-?mail_?address|account)$/i;

/** Writes bodies: what the definition shows, else what its schema wants. */
export class BodyWriter {
  constructor(
    readonly api: ApiDefinition,
    readonly producers: Producers,
    readonly flow: Flow,
    readonly authorizations: Authorizations,
  ) {}

  /** @param variables of its page, to which its own are added */
  write(operation: Operation, variables: Variables): WrittenBody | undefined {
    const media = operation.body && preferred(operation.body.content);
    if (!media) return undefined;
    const sample = exampleIn(media) ?? (media.schema && sampleOf(this.api.documents, media.schema));
    const type = typeToSend(media.type, sample);
    if (/^application\/x-www-form-urlencoded/i.test(type) && isJsonObject(sample))
      return {
        body: { form: 'form', text: fieldLines(this.#members(operation, sample, variables)).join('\n') },
      };
    if (/^multipart\//i.test(type)) {
      const parts = this.#members(operation, isJsonObject(sample) ? sample : {}, variables);
      return multipart(parts, this.#partsOf(media));
    }
    if (sample === undefined && !operation.body!.required) return undefined;
    if (takesJson(type)) {
      const document = isJsonObject(sample)
        ? objectOf(this.#members(operation, sample, variables))
        : (sample ?? {});
      return { body: { text: jsonText(document) }, contentType: type };
    }
    const text = sample === undefined ? '' : asText(sample);
    return { body: { form: 'text', text: withoutReferences(text) }, contentType: type };
  }

  /** Members that are called like what another case keeps stand for it; what signs in is a secret or a variable. */
  #members(operation: Operation, sample: JsonObject, variables: Variables): Member[] {
    const own = new Set(
      operation.parameters.map(each => this.producers.nameOf(operation, each.name) ?? nameOf(each.name)),
    );
    const last = this.#lastOfPath(operation);
    const signsIn = Object.keys(sample).some(name => passwordName.test(name));
    return Object.entries(sample).flatMap(([name, value]): Member[] => {
      if (/^_?id$/i.test(name) && (typeof value !== 'object' || value instanceof Exact))
        // It is the one that the path names, or the service gives it.
        return last === undefined ? [] : [[name, new Named(last, typeof value === 'string')]];
      if (typeof value === 'string' && passwordName.test(name))
        return [[name, new Named(this.authorizations.passwordIn(operation, name).slice(1, -1), true)]];
      const isIdentifier = (typeof value === 'string' || isNumeric(value)) && name !== 'name';
      // What its own path names is not what it says.
      const ids = [nameOf(name), nameOf(`${name}-id`)].filter(each => !own.has(each));
      const known = isIdentifier ? ids.find(each => this.flow.takes(operation, each)) : undefined;
      if (known !== undefined) return [[name, new Named(known, typeof value === 'string')]];
      if (
        !signsIn ||
        typeof value !== 'string' ||
        !userName.test(name) ||
        this.producers.makerOf(nameOf(name))
      )
        return [[name, value]];
      variables.set(nameOf(name), value);
      return [[name, new Named(nameOf(name), true)]];
    });
  }

  /** What the last part of a path is called, where it is a parameter that another case gives. */
  #lastOfPath(operation: Operation): string | undefined {
    const [, parameter] = /\{([^{}]*)\}\/?$/.exec(operation.path) ?? [];
    const name = parameter === undefined ? undefined : this.producers.nameOf(operation, parameter);
    return name !== undefined && this.flow.takes(operation, name) ? name : undefined;
  }

  /** What is said of the parts of a body, by their names, as either version of the standard says it. */
  #partsOf({ schema, located }: MediaType): ReadonlyMap<string, Part> {
    const target = schema ? this.api.documents.resolve(schema) : undefined;
    if (!target || target instanceof Unresolved) return new Map();
    const { document } = target;
    const encodings = member(located.value, 'encoding');
    const parts = new Map<string, Part>();
    for (const [name, value] of members(member(target.value, 'properties'))) {
      const own = this.api.documents.resolve({ value, document });
      const words = own instanceof Unresolved ? value : own.value;
      const items = member(words, 'items');
      const written = member(member(encodings, name), 'contentType') ?? member(words, 'contentMediaType');
      const type = typeof written === 'string' && /^[\w.+-]+\/[\w.+-]+$/.test(written) ? written : undefined;
      const isBinary = [words, items].some(each => member(each, 'format') === 'binary');
      parts.set(name, {
        ...(type !== undefined && type !== 'text/plain' && { type }),
        isFile: isBinary || (type !== undefined && !/json|text|xml|urlencoded/i.test(type)),
      });
    }
    return parts;
  }
}

type Member = [name: string, value: Json | Named];

/** A part of a multipart body: its type, where it has one of its own, and whether it is a file. */
interface Part {
  readonly type?: string;
  readonly isFile: boolean;
}

/** A line each: `name = value`. */
function fieldLines(all: readonly Member[]): string[] {
  return all.flatMap(([name, value]) =>
    fieldLine(name, value instanceof Named ? { written: `{${value.name}}` } : asText(value)),
  );
}

function multipart(all: readonly Member[], parts: ReadonlyMap<string, Part>): WrittenBody {
  const files: string[] = [];
  const lines = all.flatMap(([name, value]) => {
    const { type, isFile = false } = parts.get(name) ?? {};
    const path = `samples/${slugOf(name, 'file')}.bin`;
    if (isFile) files.push(path);
    const written = isFile ? fieldLine(name, { written: `file "${path}"` }) : fieldLines([[name, value]]);
    return type === undefined ? written : written.map(line => `${line} as ${type}`);
  });
  return { body: { form: 'multipart', text: lines.join('\n') }, files };
}

function objectOf(all: readonly Member[]): { [name: string]: Json | Named } {
  const object: { [name: string]: Json | Named } = {};
  for (const [name, value] of all) Object.defineProperty(object, name, { value, enumerable: true });
  return object;
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

/** The example of a whole body, with all the digits of its numbers. */
export function exampleIn({ examples }: MediaType): Json | undefined {
  const [first] = examples;
  return first?.holder.document.exact(first.holder.value, first.key);
}

export function asText(value: Json): string {
  return typeof value === 'string' ? value : writeJson(value);
}

export function plainOf(value: Json): ImportedScalar {
  return typeof value === 'object' && !(value instanceof Exact) ? asText(value) : value;
}
