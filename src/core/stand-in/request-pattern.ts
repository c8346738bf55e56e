import { capitalized } from '../text/words.ts';
import { Bindings, type KnownValues } from './bindings.ts';
import { type BodyPattern, unreadable } from './body/body-pattern.ts';
import type { ReceivedRequest } from './received-request.ts';
import { missesIn, type Segment, type TargetPattern } from './target-pattern.ts';
import type { TextPattern } from './text-pattern.ts';

/** A header that has to be there; with a value, as it is written. */
export interface HeaderCondition {
  /** In lower case. */
  readonly name: string;
  readonly value?: TextPattern;
}

export interface RequestPatternParts {
  /** The address of its case. */
  readonly address: string;
  readonly method: string;
  readonly target: TargetPattern;
  readonly headers: readonly HeaderCondition[];
  /** Names of headers, in lower case, that must not be there. */
  readonly without: readonly string[];
  readonly body?: BodyPattern | undefined;
  readonly knownValues: KnownValues;
  /** Values that examples above show, of names that may have any. */
  readonly shownValues: KnownValues;
  /** Whether whoever brings no credentials is asked for them first. */
  readonly asksForDigest: boolean;
}

/** How well a pattern fits a request: the larger of the first numbers that differ is the better one. */
export type Fit = readonly [
  isAsKnown: number,
  literal: number,
  known: number,
  conditions: number,
  shown: number,
];

export interface Matched {
  readonly fit: Fit;
  readonly bindings: Bindings;
}

/** What keeps a pattern from fitting a request. */
export interface Miss {
  readonly method?: boolean;
  /** A sentence without its beginning, the address of the case. */
  readonly why: string;
  /** Whether the body cannot be read as what it should be. */
  readonly isBroken?: boolean;
  /** Whether credentials are asked for first, by a challenge. */
  readonly asksForDigest?: boolean;
}

/** A request of a page, read backwards. */
export class RequestPattern {
  readonly address: string;
  readonly method: string;
  readonly target: TargetPattern;
  readonly #parts: RequestPatternParts;
  readonly #literal: number;
  readonly #conditions: number;

  constructor(parts: RequestPatternParts) {
    const { address, method, target, headers, without, body } = parts;
    this.address = address;
    this.method = method;
    this.target = target;
    this.#parts = parts;
    this.#literal =
      target.segments.filter(each => typeof each === 'string').length +
      target.query.filter(({ value }) => value?.literal !== undefined).length +
      (body?.literals ?? 0);
    this.#conditions = target.query.length + headers.length + without.length + (body?.conditions ?? 0);
  }

  /** The same for all patterns that match the same requests, whatever their references are called. */
  get form(): string {
    const { target, headers, without, body } = this.#parts;
    const path = [...target.segments, ...(target.rest ? [target.rest] : [])].map(each =>
      typeof each === 'string' ? each : each.form,
    );
    const named = (each: { readonly name: string; readonly value?: TextPattern }) =>
      `${each.name}: ${each.value?.form ?? ''}`;
    const parts = [
      this.method,
      path,
      target.query.map(named).sort(),
      headers.map(named).sort(),
      [...without].sort(),
      body?.form,
    ];
    return JSON.stringify(parts);
  }

  match(request: ReceivedRequest): Matched | Miss {
    const { target, headers, without, body, knownValues, shownValues, asksForDigest } = this.#parts;
    const bindings = new Bindings(knownValues, shownValues);
    if (!pathFits(target, request.segments, bindings)) return { why: 'the path were another one' };
    if (this.method !== request.method) return { method: true, why: `the method were ${this.method}` };
    const missing = missesIn(target.query, request.query, bindings);
    if (missing) return { why: `the query had '${missing.name}' as it is written there` };
    for (const { name, value } of headers) {
      const sent = request.header(name);
      if (sent === undefined) return { why: `the header ${properName(name)} were there` };
      if (value && !headerFits(name, value, sent, bindings))
        return { why: `the header ${properName(name)} were as it is written there` };
    }
    for (const name of without)
      if (request.header(name) !== undefined) return { why: `the header ${properName(name)} were not there` };
    const miss = body?.misses(request.body, bindings);
    if (miss !== undefined)
      return {
        why: `its body were another one: it ${miss}`,
        ...(miss.startsWith(unreadable) && { isBroken: true }),
      };
    if (asksForDigest && request.header('authorization') === undefined)
      return { why: 'it brought credentials', asksForDigest };
    const fit: Fit = [
      bindings.others === 0 ? 1 : 0,
      this.#literal,
      bindings.known,
      this.#conditions,
      bindings.shown,
    ];
    return { fit, bindings };
  }
}

export function isBetter(a: Fit, b: Fit): boolean {
  for (let at = 0; at < a.length; at++) if (a[at] !== b[at]) return a[at]! > b[at]!;
  return false;
}

function pathFits({ segments, rest }: TargetPattern, sent: readonly string[], bindings: Bindings): boolean {
  if (rest ? sent.length <= segments.length : sent.length !== segments.length) return false;
  for (let at = 0; at < segments.length; at++)
    if (!segmentFits(segments[at]!, sent[at]!, bindings)) return false;
  return !rest || rest.matches(sent.slice(segments.length).join('/'), bindings);
}

function segmentFits(segment: Segment, sent: string, bindings: Bindings): boolean {
  return typeof segment === 'string' ? segment === sent : segment.matches(sent, bindings);
}

/** A type is a type whatever its parameters, and who takes anything takes this. */
function headerFits(name: string, value: TextPattern, sent: string, bindings: Bindings): boolean {
  if (value.matches(sent, bindings)) return true;
  const { literal } = value;
  if (literal === undefined) return false;
  const wanted = withoutParameters(literal);
  if (name === 'content-type') return withoutParameters(sent) === wanted;
  if (name !== 'accept') return false;
  return sent.split(',').some(each => {
    const type = withoutParameters(each);
    return type === '*/*' || type === wanted || (type.endsWith('/*') && wanted.startsWith(type.slice(0, -1)));
  });
}

function withoutParameters(type: string): string {
  return type.replace(/;.*$/, '').trim().toLowerCase();
}

/** `content-type` as it is usually written. */
function properName(name: string): string {
  return name.split('-').map(capitalized).join('-');
}
