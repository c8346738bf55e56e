import type { Json } from '../../core/definition/document/json.ts';
import { shortestWritten } from '../../core/secrecy/secret-names.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import type { ImportedAuth, ImportedCase, ImportedCollection, ImportedRequest } from '../imported.ts';
import { sentenceOf, slugOf, UniqueNames } from '../plain-text.ts';
import { singularOf } from '../singular.ts';
import { mostUsual, noAuth, sameAuth } from '../usual-auth.ts';
import { kindsOf } from './kinds.ts';
import { readHar } from './read-har.ts';
import { BodyWriter } from './recorded-body.ts';
import { RecordedNames } from './recorded-names.ts';
import { cookiesIn, cookiesSetBy, encodeBraces, pairsIn, readDocument } from './recorded-parts.ts';
import type { RecordedExchange, Recording } from './recording.ts';
import { SentFiles } from './sent-files.ts';
import { pathWords, subjectsBefore, subjectsOf } from './subjects.ts';

/** A recording as a page: what was asked, in its order, with what flows from one answer to the next request found again. */
export function importHar(
  value: Json,
  fileName: string,
  secretsThere: ReadonlyMap<string, string>,
): { collection: ImportedCollection; secrets: string[] } {
  const recording = readHar(value);
  const writer = new CaseWriter(recording, askedIn(recording), secretsThere);
  const cases = recording.exchanges.map((each, at) => writer.write(each, at));
  // Those that came before somebody signed in say so.
  const auth = mostUsual(cases.map(each => each.auth));
  const written = cases.map(({ auth: own, ...each }, at) => ({
    ...each,
    ...(!sameAuth(own, auth) && { auth: own ?? noAuth }),
    statements: [...each.statements, ...writer.names.values.statementsOf(at)],
  }));
  const { hostname } = new URL(recording.origin);
  const isHere = isLoopback(hostname.replace(/^\[|\]$/g, ''));
  const title =
    recording.title === undefined || /^(?:https?:.*|\s*)$/i.test(recording.title)
      ? nameOfFile(fileName)
      : recording.title;
  const collection: ImportedCollection = {
    title,
    base: '{server}',
    environments: [
      { name: isHere ? 'local' : 'production', variables: [['server', recording.origin]], isDefault: isHere },
    ],
    pages: [
      {
        slug: slugOf(nameOfFile(fileName), 'recording'),
        title,
        ...(auth && { auth }),
        ...(writer.pageHeaders.length > 0 && { headers: writer.pageHeaders }),
        variables: [],
        cases: written,
      },
    ],
    files: writer.files.all,
    secrets: [...writer.names.secrets.values()],
    notes: [...recording.notes, ...writer.files.notes],
  };
  return { collection, secrets: writer.everySecret() };
}

/** Every value that a request sends. */
function askedIn(recording: Recording): ReadonlySet<string> {
  const asked = new Set<string>();
  const writer = new CaseWriter(recording, asked, new Map());
  for (const each of recording.exchanges) {
    writer.request(each);
    for (const { value } of writer.names.endRequest()) asked.add(value);
  }
  return asked;
}

function nameOfFile(name: string): string {
  const plain = name
    .replace(/^.*[/\\]/, '')
    .replace(/\.[^.]*$/, '')
    .replace(/[-_.]+/g, ' ')
    .trim();
  return plain.slice(0, 1).toUpperCase() + plain.slice(1);
}

/** Headers that a browser sends by itself, or that are for the connection and the cookies to say. */
const ofBrowser =
  /^(?:sec-|user-agent$|accept-(?:encoding|language)$|connection$|host$|content-length$|origin$|referer$|cookie$|cache-control$|pragma$|priority$|upgrade-insecure-requests$|dnt$|if-(?:none-match|modified-since|range)$|te$|transfer-encoding$|keep-alive$|expect$|upgrade$|proxy-|x-requested-with$|purpose$)/i;

/** What is longer is written in lines. */
const longestTarget = 110;

class CaseWriter {
  readonly names: RecordedNames;
  readonly files = new SentFiles();
  /** Cookies that were there before the recording began. */
  readonly pageHeaders: [string, string][] = [];
  readonly #titles = new UniqueNames();
  readonly #cookieValues = new Set<string>();

  constructor(
    readonly recording: Recording,
    asked: ReadonlySet<string>,
    secretsThere: ReadonlyMap<string, string>,
  ) {
    this.names = new RecordedNames(asked, secretsThere);
    this.#cookiesBefore();
  }

  everySecret(): string[] {
    const known = [...this.names.secrets.values()].map(({ value }) => value);
    return [...known, ...this.names.values.secrets, ...this.#cookieValues];
  }

  write(exchange: RecordedExchange, place: number): ImportedCase {
    const { auth, request } = this.request(exchange);
    this.names.endRequest();
    const { contentType, text } = exchange;
    const document = text !== undefined && /json/.test(contentType) ? readDocument(text) : undefined;
    this.names.values.noteAnswer(exchange, document, place);
    return {
      title: this.#titles.take(titleOf(request)),
      ...(exchange.lacksBody && { description: 'The recording does not have what was sent here.' }),
      ...(auth && { auth }),
      ...(/^3/.test(String(exchange.status)) && { staysHere: true as const }),
      request,
      statements: [`status = ${exchange.status}`, ...kindsOf(exchange, document)],
    };
  }

  request(exchange: RecordedExchange): { readonly auth?: ImportedAuth; readonly request: ImportedRequest } {
    const writer = new BodyWriter(this.names, this.files, pathWords(exchange.url));
    const { auth, headers } = this.#headers(exchange);
    const { target, query } = this.#target(exchange.url, writer);
    const body = exchange.body && writer.write(exchange.body, headers);
    return {
      ...(auth && { auth }),
      request: {
        method: exchange.method,
        target,
        headers,
        ...(query !== undefined && { query }),
        ...(body && { body }),
      },
    };
  }

  /** Those that the first requests bear, and no answer has set. */
  #cookiesBefore(): void {
    const set = new Set<string>();
    const before = new Map<string, string>();
    for (const exchange of this.recording.everything) {
      const { cookies, headers } = exchange;
      const sent = cookies.length > 0 ? cookies : cookiesIn(headers);
      for (const [name, value] of sent) if (!set.has(name) && !before.has(name)) before.set(name, value);
      for (const [name, value] of cookiesSetBy(exchange)) {
        set.add(name);
        if (value.length >= shortestWritten) this.#cookieValues.add(value);
      }
    }
    const pairs = [...before].map(
      ([name, value]) => `${name}={${this.names.secret(name, value, `The cookie '${name}'.`)}}`,
    );
    if (pairs.length > 0) this.pageHeaders.push(['Cookie', pairs.join('; ')]);
  }

  #headers({ headers }: RecordedExchange): { auth?: ImportedAuth; headers: [string, string][] } {
    let auth: ImportedAuth | undefined;
    const kept: [string, string][] = [];
    for (const [name, value] of headers) {
      if (/^authorization$/i.test(name)) {
        auth = this.#auth(value);
        continue;
      }
      // What is no name of a header was never sent as one.
      if (!/^[!#$%&'*+.^_`|~\w-]+$/.test(name)) continue;
      const isUsual = /^accept$/i.test(name) && (/\*\/\*/.test(value) || /text\/html/.test(value));
      if (ofBrowser.test(name) || isUsual || /^content-type$/i.test(name)) continue;
      kept.push([headerName(name), this.#text(value, name)]);
    }
    return { ...(auth && { auth }), headers: kept };
  }

  #auth(value: string): ImportedAuth {
    const [, scheme = '', rest = ''] = /^(\S+)\s*(.*)$/s.exec(value) ?? [];
    if (/^bearer$/i.test(scheme))
      return {
        kind: 'bearer',
        value: this.#signingIn('token', rest, 'The token that signs in.'),
      };
    if (/^basic$/i.test(scheme)) {
      const [user = '', password = ''] = Buffer.from(rest, 'base64').toString('utf8').split(/:(.*)/s);
      return {
        kind: 'basic',
        fields: [
          ['user', withoutReferences(user)],
          ['password', this.#signingIn('password', password, 'The password that goes with it.')],
        ],
      };
    }
    const known = this.names.referenceFor({ value: rest, subjects: [] });
    return {
      kind: 'api-key',
      fields: [
        ['name', 'Authorization'],
        [
          'value',
          known === undefined
            ? this.#signingIn('authorization', value, 'What signs in.')
            : `${withoutReferences(scheme)} ${known}`,
        ],
        ['in', 'header'],
      ],
    };
  }

  #signingIn(name: string, value: string, about: string): string {
    const sent = { value, subjects: [] };
    return this.names.referenceFor(sent) ?? `{${this.names.secret(name, value, about)}}`;
  }

  #target(url: string, writer: BodyWriter): { target: string; query?: string } {
    const { pathname, search } = new URL(url);
    const segments = pathname.split('/').map(percentDecoded);
    const path = pathname
      .split('/')
      .map((segment, at) => this.#segment(segments, at) ?? encodeBraces(segment))
      .join('/');
    const pairs = search
      .slice(1)
      .split('&')
      .filter(pair => pair !== '');
    const fields = path.length + search.length > longestTarget ? pairsIn(search.slice(1)) : [];
    // A line of a form has a name without white space.
    if (fields.length > 0 && fields.every(([name]) => /^[^\s=]+$/.test(name)))
      return { target: path, query: writer.fields(fields) };
    const written = pairs.map(pair => {
      const at = pair.indexOf('=');
      if (at < 0) return encodeBraces(pair);
      const [name, value] = [pair.slice(0, at), percentDecoded(pair.slice(at + 1).replaceAll('+', ' '))];
      const sent = { value, subjects: subjectsOf(name, writer.around) };
      const known = this.names.namedOrSecret(name, sent, `What '${name}' carries.`);
      return `${encodeBraces(name)}=${known === undefined ? encodeBraces(pair.slice(at + 1)) : `{${known}}`}`;
    });
    return { target: path + (written.length > 0 ? `?${written.join('&')}` : '') };
  }

  /** A whole segment, or what is named in one, as in `417.pdf` and `Orders(417)`. */
  #segment(segments: readonly string[], at: number): string | undefined {
    const segment = segments[at]!;
    const subjects = subjectsBefore(segments, at);
    const known = this.names.referenceFor({ value: segment, subjects });
    const [, before, inner, after] =
      /^([A-Za-z]\w*\('?)([^()']+)('?\))$/.exec(segment) ??
      /^()([^.]+)(\.[A-Za-z]\w{0,4})$/.exec(segment) ??
      [];
    if (known !== undefined || inner === undefined) return known;
    const around = before === '' ? subjects : subjectsOf(before!.replace(/\W+$/, ''), []);
    const part = this.names.referenceFor({ value: inner, subjects: around });
    return part && before! + part + after!;
  }

  #text(value: string, name: string): string {
    // What is to be as it was is named by its version.
    const sent = { value, subjects: /^if-match$/i.test(name) ? ['etag'] : subjectsOf(name, []) };
    const known = this.names.namedOrSecret(name, sent, `What the header ${name} carries.`);
    return known === undefined ? withoutReferences(value) : `{${known}}`;
  }
}

/** As people write it, however the protocol does. */
function headerName(name: string): string {
  return name === name.toLowerCase() ? name.replace(/(?:^|-)[a-z]/g, letter => letter.toUpperCase()) : name;
}

/** `Get cart items`, from `GET /cart/{cart-id}/items`; what an operation of GraphQL is called says more. */
function titleOf({ method, target, body }: ImportedRequest): string {
  const operation =
    body?.form === 'graphql' ? /\b(?:query|mutation|subscription)\s+(\w+)/.exec(body.text)?.[1] : undefined;
  if (operation !== undefined) return sentenceOf(operation);
  const verb = method.slice(0, 1) + method.slice(1).toLowerCase();
  const path = target.replace(/\?.*$/, '');
  const words = path
    .split('/')
    .filter(part => part !== '' && !part.includes('{') && !/^(?:api|v\d+(?:\.\d+)*|rest)$/i.test(part))
    .map(part =>
      percentDecoded(part)
        .replace(/\.\w{1,5}$/, '')
        .replace(/[-_]+/g, ' '),
    );
  const last = words.pop() ?? 'the root';
  return [verb, ...words.slice(-3), path.endsWith('}') ? singularOf(last) : last].join(' ');
}
