import { editDistance } from '../text/words.ts';
import type { AnsweringPattern } from './answering-pattern.ts';
import { digestChallenge } from './authorizations.ts';
import { PatternIndex } from './pattern-index.ts';
import type { ReceivedRequest } from './received-request.ts';
import { isBetter, type Matched, type Miss, type RequestPattern } from './request-pattern.ts';
import { problemAnswer, type StandInAnswer } from './stand-in-answer.ts';
import { Turns } from './turns.ts';

/** What a definition of the API says where it is asked. */
export interface StandInDefinition {
  /** What of a request is not as it is described; nothing where it is none of its operations. */
  faults(request: ReceivedRequest): readonly string[] | undefined;
  /** An answer made from its schema. */
  sample(request: ReceivedRequest): StandInAnswer | undefined;
}

/** So many patterns are named where none fits. */
const mostNearest = 3;

/** What answers or explains besides the examples of pages. */
export interface StandInOthers {
  /** Requests that have no example. */
  readonly unanswered?: readonly RequestPattern[];
  /** The path that stands before all targets. */
  readonly basePath?: string;
  readonly definition?: StandInDefinition | undefined;
  /** What a run has asked is answered as it was answered there. */
  readonly recorded?: { answer(request: ReceivedRequest): StandInAnswer | undefined } | undefined;
}

/** Answers requests from the examples of pages. */
export class StandIn {
  readonly #index = new PatternIndex<AnsweringPattern & Pick<RequestPattern, 'target'>>();
  readonly #turns = new Turns();
  /** Patterns by their place in the pages. */
  readonly #order = new Map<AnsweringPattern, number>();

  constructor(
    readonly patterns: readonly AnsweringPattern[],
    readonly others: StandInOthers = {},
  ) {
    for (const [index, each] of patterns.entries()) {
      const placed = Object.assign(each, { target: each.pattern.target });
      this.#order.set(placed, index);
      this.#index.add(placed);
    }
  }

  answer(request: ReceivedRequest): StandInAnswer {
    const recorded = this.others.recorded?.answer(request);
    if (recorded) return recorded;
    const found = this.#best(request);
    if (!found.best) {
      // What can be asked for can be asked about (RFC 9110, 9.3.2).
      if (request.method === 'HEAD') return this.answer(request.as('GET'));
      return this.#unmatched(request, found.misses);
    }
    const { pattern, matched } = found.best;
    const answer = pattern.answer(matched.bindings, request, this.#turnOf(pattern, request));
    if (!this.others.definition || answer.status < 200 || answer.status > 299) return answer;
    return this.#refused(request) ?? answer;
  }

  #best(request: ReceivedRequest): {
    best?: { pattern: AnsweringPattern; matched: Matched };
    misses: { pattern: AnsweringPattern; miss: Miss }[];
  } {
    let best: { pattern: AnsweringPattern; matched: Matched } | undefined;
    const misses: { pattern: AnsweringPattern; miss: Miss }[] = [];
    for (const pattern of this.#index.find(request.segments)) {
      const matched = pattern.pattern.match(request);
      if ('why' in matched) misses.push({ pattern, miss: matched });
      else if (!best || isBetter(matched.fit, best.matched.fit) || this.#isEarlier(pattern, matched, best))
        best = { pattern, matched };
    }
    return { ...(best && { best }), misses };
  }

  /** Of two that fit equally well, the first on the pages answers. */
  #isEarlier(
    pattern: AnsweringPattern,
    { fit }: Matched,
    best: { pattern: AnsweringPattern; matched: Matched },
  ): boolean {
    return !isBetter(best.matched.fit, fit) && this.#order.get(pattern)! < this.#order.get(best.pattern)!;
  }

  #turnOf(pattern: AnsweringPattern, { target }: ReceivedRequest): number {
    return pattern.count < 2 ? 0 : this.#turns.next(`${this.#order.get(pattern)} ${target}`);
  }

  #refused(request: ReceivedRequest): StandInAnswer | undefined {
    const faults = this.others.definition?.faults(request);
    if (!faults || faults.length === 0) return undefined;
    return problemAnswer({
      status: 400,
      title: 'Not as it is described',
      detail: 'The definition of the API says otherwise.',
      reasons: faults,
    });
  }

  #unmatched(
    request: ReceivedRequest,
    misses: readonly { pattern: AnsweringPattern; miss: Miss }[],
  ): StandInAnswer {
    if (misses.some(({ miss }) => miss.asksForDigest)) return digestChallenge();
    const made = this.#refused(request) ?? this.others.definition?.sample(request);
    if (made) return made;
    const broken = misses.filter(({ miss }) => miss.isBroken);
    const told = (broken.length > 0 ? broken : misses).toSorted(
      (a, b) => Number(a.miss.method ?? false) - Number(b.miss.method ?? false),
    );
    const reasons = told
      .slice(0, mostNearest)
      .map(({ pattern: { pattern }, miss }) => `${pattern.address} would answer if ${miss.why}.`);
    return problemAnswer({
      status: broken.length > 0 ? 400 : 404,
      title: broken.length > 0 ? 'The body cannot be read' : 'No example matches',
      detail:
        broken.length > 0
          ? 'It is not what its type says.'
          : `${request.method} ${request.path} is like no request of the pages that has an example.`,
      reasons: [
        ...this.#withoutExample(request),
        ...(reasons.length > 0 ? reasons : this.#nearest(request)),
      ].slice(0, mostNearest),
    });
  }

  /** What is known of a request that nothing answers. */
  #withoutExample(request: ReceivedRequest): string[] {
    const { unanswered = [], basePath = '' } = this.others;
    const asks = unanswered.find(pattern => 'fit' in pattern.match(request));
    if (asks) return [`${asks.address} asks for this, and has no example.`];
    return request.path.startsWith(`${basePath}/`) || basePath === ''
      ? []
      : [`All of it lies below ${basePath}.`];
  }

  /** Requests whose path has most in common with this one. */
  #nearest({ path, segments, method }: ReceivedRequest): string[] {
    const short = path.slice(0, 200);
    // Of those that are alike the first one answers.
    const known = new Map(
      this.patterns.toReversed().map(({ pattern }) => [`${pattern.method} ${shownPath(pattern)}`, pattern]),
    );
    const told = [...known.values()].map(pattern => {
      const shown = shownPath(pattern);
      const common = pattern.target.segments.filter(
        each => typeof each === 'string' && segments.includes(each),
      );
      const distance = editDistance(short, shown) + (pattern.method === method ? 0 : 1);
      return {
        common: common.length,
        distance,
        says: `${pattern.address} answers ${pattern.method} ${shown}.`,
      };
    });
    return told
      .sort((a, b) => b.common - a.common || a.distance - b.distance)
      .slice(0, mostNearest)
      .map(({ says }) => says);
  }
}

/** The path of a pattern as a template. */
export function shownPath({ target: { segments, rest } }: RequestPattern): string {
  const shown = segments.map(each => (typeof each === 'string' ? each : each.shown));
  return `/${[...shown, ...(rest ? [rest.shown] : [])].join('/')}`;
}
