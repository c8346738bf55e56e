import type { Value } from '../../core/model/value.ts';
import { secretName } from '../../core/secrecy/secret-names.ts';
import { nameOf, type UniqueNames } from '../plain-text.ts';
import { singularOf } from '../singular.ts';
import type { AnswerValue } from './answer-value.ts';
import { valuesOfAnswer } from './answer-values.ts';
import type { RecordedExchange } from './recording.ts';
import { isSameSubject, pathWords, subjectsOf } from './subjects.ts';

/** A value of a request, and what is named there, the nearest first: `order` for `/orders/7` and for `order_id=7`. */
export interface SentValue {
  readonly value: string;
  readonly subjects: readonly string[];
}

/** A value that a response gives and a later request sends. */
interface FlowingValue {
  readonly name: string;
  readonly isSecret: boolean;
  /** `keep $.id as berth` */
  readonly statement: string;
}

/** A value in an answer. */
interface Found extends AnswerValue {
  /** The place of its exchange. */
  readonly from: number;
  /** What it is of, where the name of the member does not say that: the object or list around it, or the resource. */
  readonly owner: string;
  readonly subjects: readonly string[];
}

const identifier =
  /(?:^|[-_])(?:id|uuid|guid|key|slug|token|ref|code|no|number|etag)$|[a-z](?:Id|ID|Uuid|Key|Token|Ref|Code)$/;
/** What is shorter says nothing, unless names say what it is. */
const leastLength = 6;
/** So many places where a value stands are remembered, and so many looked at in one answer. */
const most = { places: 5, timesInAnswer: 50 };

/** Finds the values again that flow from an answer into a later request. */
export class RecordedValues {
  readonly #found = new Map<string, Found[]>();
  readonly #sent = new Set<string>();
  readonly #flowing = new Map<Found, FlowingValue | undefined>();

  /**
   * @param asked what the requests send: nothing else is looked for
   * @param names those that are given already, to which its own are added
   */
  constructor(
    readonly asked: ReadonlySet<string>,
    readonly names: UniqueNames,
  ) {}

  /** What is kept of each answer, by the place of its exchange. */
  statementsOf(place: number): string[] {
    return [...this.#flowing].flatMap(([{ from }, flowing]) =>
      flowing && from === place ? [flowing.statement] : [],
    );
  }

  /** Every value that is kept as a secret. */
  get secrets(): string[] {
    return [...this.#flowing].flatMap(([{ value }, flowing]) => (flowing?.isSecret ? [value] : []));
  }

  /** The name of a value that a request sends, where an earlier answer gave it; what was sent before it came is none. */
  nameFor(sent: SentValue): string | undefined {
    const isSaidBefore = this.#sent.has(keyOf(sent));
    for (const found of this.#mayBe(sent)) {
      if (!this.#flowing.has(found) && !isSaidBefore) this.#flowing.set(found, this.#flow(found));
      const flowing = this.#flowing.get(found);
      if (flowing) return flowing.name;
    }
    return undefined;
  }

  /** Notes what a request has sent by itself. */
  noteSent(values: Iterable<SentValue>): void {
    for (const each of values) if (this.#mayBe(each).length === 0) this.#sent.add(keyOf(each));
  }

  /**
   * Notes what an answer gives.
   * @param document what its body says, where that is JSON
   */
  noteAnswer(exchange: RecordedExchange, document: Value | undefined, place: number): void {
    const resource = pathWords(exchange.url)[0] ?? 'value';
    const counts = new Map<string, number>();
    const isAsked = (value: string) => {
      if (!this.asked.has(value)) return false;
      const count = (counts.get(value) ?? 0) + 1;
      counts.set(value, count);
      return count <= most.timesInAnswer;
    };
    const candidates: Found[] = [];
    for (const each of valuesOfAnswer(exchange, document, isAsked)) {
      const { value, member, around } = each;
      if (!identifier.test(member) && !isLong(value)) continue;
      const owner = around ?? resource;
      const subjects = isLong(value) ? [] : subjectsOf(member, [owner, resource]);
      candidates.push({ ...each, from: place, owner, subjects });
    }
    for (const each of candidates) {
      // A word that stands in many places is no name of one thing.
      if (counts.get(each.value)! > 1 && !identifier.test(each.member)) continue;
      const known = this.#found.get(each.value) ?? [];
      const alike = known.filter(other => isAlike(other, each));
      if (alike.length < most.places) this.#found.set(each.value, [...known, each]);
    }
  }

  /** Where it may come from, the likeliest first. */
  #mayBe({ value, subjects }: SentValue): Found[] {
    const found = this.#found.get(value) ?? [];
    if (isLong(value))
      return found.toSorted((a, b) => Number(a.isForScripts ?? 0) - Number(b.isForScripts ?? 0));
    return subjects.flatMap(subject =>
      found.filter(each => each.subjects.some(own => isSameSubject(own, subject))),
    );
  }

  #flow(found: Found): FlowingValue | undefined {
    const source = found.source();
    if (source === undefined) return undefined;
    const isSecret = found.isSecret ?? secretName.test(found.member);
    const name = this.names.take(nameFrom(found));
    return { name, isSecret, statement: `keep ${source} as ${isSecret ? 'secret ' : ''}${name}` };
  }
}

function isAlike(one: Found, other: Found): boolean {
  return one.subjects[0] === other.subjects[0] && one.isForScripts === other.isForScripts;
}

function isLong(value: string): boolean {
  return value.length >= leastLength;
}

/** What is long is itself wherever it stands. */
function keyOf({ value, subjects }: SentValue): string {
  return isLong(value) ? value : `${value}\n${subjects[0] ?? ''}`;
}

/** `berth-id` for the `id` of something below `/berths`; else what the member is called. */
function nameFrom({ member, owner }: Found): string {
  const general = /^(?:id|uuid|guid|key|slug|ref|code|number|no)$/i;
  return nameOf(general.test(member) ? `${singularOf(owner)}-${member}` : member);
}
