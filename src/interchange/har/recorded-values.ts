import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
import { memberStep } from '../../core/language/looked-at.ts';
import { secretName } from '../../core/secrecy/secret-names.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { nameOf, UniqueNames } from '../plain-text.ts';
import { singularOf } from '../singular.ts';
import type { RecordedExchange } from './read-har.ts';
import { readJson } from './recorded-parts.ts';

/** A value that a response gives and a later request sends. */
export interface FlowingValue {
  readonly name: string;
  readonly isSecret: boolean;
  /** `keep $.id as berth` */
  readonly statement: string;
  /** The place of the exchange whose response gives it. */
  readonly from: number;
}

interface Found {
  readonly from: number;
  /** What a statement takes: `$.berths[0].id`, `location /([^\/]+)$/`. */
  readonly source: string;
  readonly member: string;
  readonly resource: string;
  /** How often the value stands in this response. */
  count: number;
}

const identifier =
  /(?:^|[-_])(?:id|uuid|guid|key|slug|token|ref|code|no|number)$|[a-z](?:Id|ID|Uuid|Key|Token|Ref|Code)$/;
/** What is shorter says nothing, unless its name says that it is an identifier. */
const leastLength = 6;
/** So many values of one response are looked at. */
const most = 20_000;

/** Finds the values again that flow from a response into a later request. */
export class RecordedValues {
  readonly #found = new Map<string, Found>();
  readonly #sent = new Set<string>();
  readonly #flowing = new Map<string, FlowingValue>();
  readonly #names: UniqueNames;

  constructor(taken: Iterable<string>) {
    this.#names = new UniqueNames(taken);
  }

  /** What is kept of each response, by the place of its exchange. */
  statementsOf(place: number): string[] {
    return [...this.#flowing.values()].filter(({ from }) => from === place).map(({ statement }) => statement);
  }

  /** Every value that is kept as a secret. */
  get secrets(): string[] {
    return [...this.#flowing].filter(([, { isSecret }]) => isSecret).map(([value]) => value);
  }

  /** The name of a value that a request sends, where an earlier response gave it; what was sent before it came is none. */
  nameFor(value: string): string | undefined {
    const known = this.#flowing.get(value);
    if (known) return known.name;
    const found = this.#found.get(value);
    if (!found || this.#sent.has(value)) return undefined;
    const isSecret = secretName.test(found.member);
    const name = this.#names.take(nameFrom(found));
    const statement = `keep ${found.source} as ${isSecret ? 'secret ' : ''}${name}`;
    this.#flowing.set(value, { name, isSecret, statement, from: found.from });
    return name;
  }

  /** Notes what a request has sent by itself. */
  noteSent(values: Iterable<string>): void {
    for (const value of values) if (!this.#found.has(value)) this.#sent.add(value);
  }

  /** Notes what a response gives. */
  noteAnswer(exchange: RecordedExchange, place: number): void {
    const resource = resourceOf(exchange.url);
    const seen = new Map<string, Found>();
    const add: Add = (value, source, member, of = resource) => {
      const isIdentifier = identifier.test(member);
      if (value === '' || (!isIdentifier && value.length < leastLength) || seen.size > most) return;
      const known = seen.get(value);
      if (known) known.count++;
      else seen.set(value, { from: place, source, member, resource: of, count: 1 });
    };
    const location = exchange.answered.find(([name]) => /^location$/i.test(name))?.[1];
    const last = location
      ?.replace(/[?#].*$/, '')
      .replace(/\/$/, '')
      .split('/')
      .at(-1);
    if (exchange.status === 201 && last) add(percentDecoded(last), String.raw`location /([^\/]+)$/`, 'id');
    const isKept = exchange.status >= 300 && exchange.status < 400 && location !== undefined;
    if (exchange.ledTo !== undefined) addressed(exchange.ledTo, 'url', add);
    else if (isKept && URL.canParse(location, exchange.url))
      addressed(new URL(location, exchange.url).href, 'location', add);
    if (/json/.test(exchange.contentType) && exchange.text !== undefined) {
      const document = readJson(exchange.text);
      if (document !== undefined) leaves(document, '$', '', add);
    } else if (/html/.test(exchange.contentType) && exchange.text !== undefined)
      hiddenFields(exchange.text, add);
    // A word that stands in many places is no name of one thing.
    for (const [value, found] of seen)
      if (!this.#found.has(value) && (found.count === 1 || identifier.test(found.member)))
        this.#found.set(value, found);
  }
}

type Add = (value: string, source: string, member: string, resource?: string) => void;

/** What an address names behind a word, as in `/orders/417`. */
function addressed(url: string, source: string, add: Add): void {
  const segments = new URL(url).pathname.split('/');
  for (const [at, segment] of segments.entries()) {
    const before = segments[at - 1] ?? '';
    if (/\d/.test(segment) && /^[A-Za-z][\w-]*$/.test(before))
      add(percentDecoded(segment), String.raw`${source} /\/${before}\/([^\/?#]+)/`, 'id', before);
  }
}

function leaves(value: Json, way: string, member: string, add: Add, depth = 0): void {
  if (depth > 20) return;
  if (typeof value === 'string' || typeof value === 'number') add(String(value), way, member);
  else if (Array.isArray(value))
    for (const [at, each] of value.entries()) leaves(each, `${way}[${at}]`, member, add, depth + 1);
  else if (isJsonObject(value))
    for (const [name, each] of Object.entries(value))
      leaves(each, way + memberStep(name), name, add, depth + 1);
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
function nameFrom({ member, resource, source }: Found): string {
  const general = /^(?:id|uuid|guid|key|slug|ref|code|number|no)$/i;
  if (!general.test(member)) return nameOf(member);
  // In a list of something, that says what it is.
  const list = /\.([A-Za-z_]\w*)\[\d+\][^[]*$/.exec(source)?.[1];
  return nameOf(`${singularOf(list ?? resource)}-${member}`);
}

function resourceOf(url: string): string {
  const parts = new URL(url).pathname.split('/').filter(part => /^[A-Za-z][A-Za-z_-]*$/.test(part));
  return parts.at(-1) ?? 'value';
}
