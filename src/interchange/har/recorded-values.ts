import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
import { memberStep } from '../../core/language/looked-at.ts';
import { secretName } from '../../core/secrecy/secret-names.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { nameOf, UniqueNames } from '../plain-text.ts';
import { singularOf } from '../singular.ts';
import type { RecordedExchange } from './read-har.ts';
import { readJson } from './recorded-parts.ts';
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

/** A value in a response. */
interface Found {
  readonly value: string;
  /** The place of its exchange. */
  readonly from: number;
  /** What a statement takes: `$.berths[0].id`, `location /([^\/]+)$/`. */
  readonly source: string;
  readonly member: string;
  /** What it is of, where the name of the member does not say that: the object or list around it, or the resource. */
  readonly owner: string;
  readonly subjects: readonly string[];
  /** How often the value stands in this response. */
  count: number;
}

const identifier =
  /(?:^|[-_])(?:id|uuid|guid|key|slug|token|ref|code|no|number)$|[a-z](?:Id|ID|Uuid|Key|Token|Ref|Code)$/;
/** What is shorter says nothing, unless names say what it is. */
const leastLength = 6;
/** So many values of one response are looked at. */
const most = 20_000;

/** Finds the values again that flow from a response into a later request. */
export class RecordedValues {
  /** By their values: of long ones one, of short ones one of each thing that they may be of. */
  readonly #found = new Map<string, Found[]>();
  readonly #sent = new Set<string>();
  readonly #flowing = new Map<Found, FlowingValue>();
  readonly #names: UniqueNames;

  constructor(taken: Iterable<string>) {
    this.#names = new UniqueNames(taken);
  }

  /** What is kept of each response, by the place of its exchange. */
  statementsOf(place: number): string[] {
    return [...this.#flowing].filter(([{ from }]) => from === place).map(([, { statement }]) => statement);
  }

  /** Every value that is kept as a secret. */
  get secrets(): string[] {
    return [...this.#flowing].filter(([, { isSecret }]) => isSecret).map(([{ value }]) => value);
  }

  /** The name of a value that a request sends, where an earlier response gave it; what was sent before it came is none. */
  nameFor(sent: SentValue): string | undefined {
    const found = this.#sourceOf(sent);
    if (!found) return undefined;
    const known = this.#flowing.get(found);
    if (known) return known.name;
    if (this.#sent.has(keyOf(sent))) return undefined;
    const isSecret = secretName.test(found.member);
    const name = this.#names.take(nameFrom(found));
    const statement = `keep ${found.source} as ${isSecret ? 'secret ' : ''}${name}`;
    this.#flowing.set(found, { name, isSecret, statement });
    return name;
  }

  #sourceOf({ value, subjects }: SentValue): Found | undefined {
    const found = this.#found.get(value) ?? [];
    if (isLong(value)) return found[0];
    for (const subject of subjects) {
      const match = found.find(each => each.subjects.some(own => isSameSubject(own, subject)));
      if (match) return match;
    }
    return undefined;
  }

  /** Notes what a request has sent by itself. */
  noteSent(values: Iterable<SentValue>): void {
    for (const each of values) if (!this.#sourceOf(each)) this.#sent.add(keyOf(each));
  }

  /** Notes what a response gives. */
  noteAnswer(exchange: RecordedExchange, place: number): void {
    const resource = pathWords(exchange.url)[0] ?? 'value';
    const seen = new Map<string, Found>();
    const add: Add = (value, source, member, around) => {
      const isIdentifier = identifier.test(member);
      if (value === '' || (!isIdentifier && !isLong(value)) || seen.size > most) return;
      const owner = around ?? resource;
      const subjects = isLong(value) ? [] : subjectsOf(member, [owner, resource]);
      const key = keyOf({ value, subjects });
      const known = seen.get(key);
      const count = (known?.count ?? 0) + 1;
      if (known && (identifier.test(known.member) || !isIdentifier)) known.count = count;
      else seen.set(key, { value, from: place, source, member, owner, subjects, count });
    };
    const location = exchange.answered.find(([name]) => /^location$/i.test(name))?.[1];
    const [last, before] = (location ?? '')
      .replace(/[?#].*$/, '')
      .replace(/\/$/, '')
      .split('/')
      .reverse();
    if (exchange.status === 201 && last)
      add(percentDecoded(last), String.raw`location /([^\/]+)$/`, 'id', before === '' ? undefined : before);
    const isKept = exchange.status >= 300 && exchange.status < 400 && location !== undefined;
    if (exchange.ledTo !== undefined) addressed(exchange.ledTo, 'url', add);
    else if (isKept && URL.canParse(location, exchange.url))
      addressed(new URL(location, exchange.url).href, 'location', add);
    if (/json/.test(exchange.contentType) && exchange.text !== undefined) {
      const document = readJson(exchange.text);
      if (document !== undefined) leaves(document, '$', '', undefined, add);
    } else if (/html/.test(exchange.contentType) && exchange.text !== undefined)
      hiddenFields(exchange.text, add);
    for (const found of seen.values()) this.#noteFound(found);
  }

  #noteFound(found: Found): void {
    // A word that stands in many places is no name of one thing.
    if (found.count > 1 && !identifier.test(found.member)) return;
    const known = this.#found.get(found.value);
    if (!known) this.#found.set(found.value, [found]);
    else if (!isLong(found.value) && !known.some(({ subjects }) => subjects[0] === found.subjects[0]))
      known.push(found);
  }
}

function isLong(value: string): boolean {
  return value.length >= leastLength;
}

/** What is long is itself wherever it stands. */
function keyOf({ value, subjects }: SentValue): string {
  return isLong(value) ? value : `${value}\n${subjects[0] ?? ''}`;
}

/** @param around what the value is of, where that is said right there */
type Add = (value: string, source: string, member: string, around?: string) => void;

/** What an address names behind a word, as in `/orders/417`. */
function addressed(url: string, source: string, add: Add): void {
  const segments = new URL(url).pathname.split('/');
  for (const [at, segment] of segments.entries()) {
    const before = segments[at - 1] ?? '';
    if (/\d/.test(segment) && /^[A-Za-z][\w-]*$/.test(before))
      add(percentDecoded(segment), String.raw`${source} /\/${before}\/([^\/?#]+)/`, 'id', before);
  }
}

/** Members that are there for what is in them; lists only where nothing says what they are of. */
const wrapper =
  /^(?:data|response|payload|body|content|values?|entity|object|attributes|nodes?|edges|hits|docs|_embedded)$/i;
const plainList = /^(?:items?|records?|results?|rows|list)$/i;

function leaves(
  value: Json,
  way: string,
  member: string,
  around: string | undefined,
  add: Add,
  depth = 0,
): void {
  if (depth > 20) return;
  if (typeof value === 'string' || typeof value === 'number') add(String(value), way, member, around);
  else if (Array.isArray(value))
    for (const [at, each] of value.entries()) leaves(each, `${way}[${at}]`, member, around, add, depth + 1);
  else if (isJsonObject(value)) {
    const saysNothing =
      member === '' || wrapper.test(member) || (around === undefined && plainList.test(member));
    const own = saysNothing ? around : member;
    for (const [name, each] of Object.entries(value))
      leaves(each, way + memberStep(name), name, own, add, depth + 1);
  }
}

/** What a form sends back unseen, such as a token against forged requests. */
function hiddenFields(text: string, add: Add): void {
  for (const [tag] of text.matchAll(/<input\b[^>]{0,2000}>/gi)) {
    if (!/\btype=["']?hidden/i.test(tag)) continue;
    const name = /\bname=["']([\w.[\]-]{1,100})["']/i.exec(tag)?.[1];
    const value = /\bvalue=["']([^"']{6,500})["']/i.exec(tag)?.[1];
    if (name === undefined || value === undefined) continue;
    const isFirst = tag.search(/\bname=/i) < tag.search(/\bvalue=/i);
    const quoted = name.replace(/[\\^$.*+?()[\]{}|/-]/g, String.raw`\$&`);
    const pattern = isFirst
      ? `body /name="${quoted}"[^>]*value="([^"]*)"/`
      : `body /value="([^"]*)"[^>]*name="${quoted}"/`;
    add(value, pattern, `${name}-token`);
  }
}

/** `berth-id` for the `id` of something below `/berths`; else what the member is called. */
function nameFrom({ member, owner }: Found): string {
  const general = /^(?:id|uuid|guid|key|slug|ref|code|number|no)$/i;
  return nameOf(general.test(member) ? `${singularOf(owner)}-${member}` : member);
}
