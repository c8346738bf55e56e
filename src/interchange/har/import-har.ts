import { isJsonObject, type Json } from '../../core/definition/document/json.ts';
import { secretName, shortestWritten, signedToken } from '../../core/secrecy/secret-names.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { fieldLine } from '../field-lines.ts';
import type {
  ImportedAuth,
  ImportedCase,
  ImportedCollection,
  ImportedRequest,
  ImportedSecret,
} from '../imported.ts';
import { jsonText, Named } from '../json-text.ts';
import { nameOf, slugOf, UniqueNames } from '../plain-text.ts';
import { singularOf } from '../singular.ts';
import { kindsOf } from './kinds.ts';
import { type RecordedBody, type RecordedExchange, type Recording, readHar } from './read-har.ts';
import { cookiesIn, encodeBraces, pairsIn, readJson, valuesOf } from './recorded-parts.ts';
import { RecordedValues } from './recorded-values.ts';

/** A recording as a page: what was asked, in its order, with what flows from one answer to the next request found again. */
export function importHar(
  value: Json,
  fileName: string,
): { collection: ImportedCollection; secrets: string[] } {
  const recording = readHar(value);
  const writer = new CaseWriter(recording);
  const cases = recording.exchanges.map((each, at) => writer.write(each, at));
  const withKept = cases.map((each, at) => ({
    ...each,
    statements: [...each.statements, ...writer.values.statementsOf(at)],
  }));
  const { hostname } = new URL(recording.origin);
  const isHere = isLoopback(hostname.replace(/^\[|\]$/g, ''));
  const title =
    recording.title !== undefined && !/^https?:/i.test(recording.title)
      ? recording.title
      : nameOfFile(fileName);
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
        ...(writer.pageHeaders.length > 0 && { headers: writer.pageHeaders }),
        variables: [],
        cases: withKept,
      },
    ],
    secrets: [...writer.secrets.values()],
    notes: recording.notes,
  };
  return { collection, secrets: writer.everySecret() };
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
  /^(?:sec-|user-agent$|accept-(?:encoding|language)$|connection$|host$|content-length$|origin$|referer$|cookie$|cache-control$|pragma$|priority$|upgrade-insecure-requests$|dnt$|if-|te$|transfer-encoding$|keep-alive$|expect$|upgrade$|proxy-|x-requested-with$|purpose$)/i;

/** What is longer is written in lines. */
const longestTarget = 110;

class CaseWriter {
  readonly values = new RecordedValues(['server']);
  readonly secrets = new Map<string, ImportedSecret & { readonly value: string }>();
  /** Cookies that were there before the recording began. */
  readonly pageHeaders: [string, string][] = [];
  readonly #titles = new UniqueNames();
  readonly #names = new UniqueNames(['server']);
  readonly #cookieValues = new Set<string>();

  constructor(readonly recording: Recording) {
    this.#cookiesBefore();
  }

  everySecret(): string[] {
    const known = [...this.secrets.values()].map(({ value }) => value);
    return [...known, ...this.values.secrets, ...this.#cookieValues];
  }

  write(exchange: RecordedExchange, place: number): ImportedCase {
    const { auth, headers } = this.#headers(exchange);
    const { target, query } = this.#target(exchange.url);
    const body = exchange.body && this.#body(exchange.body, headers);
    const request: ImportedRequest = {
      method: exchange.method,
      target,
      headers,
      ...(query !== undefined && { query }),
      ...(body && { body }),
    };
    this.values.noteSent(valuesOf(exchange));
    this.values.noteAnswer(exchange, place);
    return {
      title: this.#titles.take(titleOf(exchange.method, target)),
      ...(auth && { auth }),
      ...(/^3/.test(String(exchange.status)) && { staysHere: true as const }),
      request,
      statements: [`status = ${exchange.status}`, ...kindsOf(exchange)],
    };
  }

  /** Those that the first requests bear, and no answer has set. */
  #cookiesBefore(): void {
    const set = new Set<string>();
    const before = new Map<string, string>();
    for (const { cookies, headers, answered } of this.recording.exchanges) {
      const sent = cookies.length > 0 ? cookies : cookiesIn(headers);
      for (const [name, value] of sent) if (!set.has(name) && !before.has(name)) before.set(name, value);
      for (const [name, value] of answered) {
        if (!/^set-cookie$/i.test(name)) continue;
        for (const line of value.split('\n')) {
          const [, cookie, content] = /^\s*([^=;\s]+)=([^;]*)/.exec(line) ?? [];
          if (cookie === undefined) continue;
          set.add(cookie);
          if (content!.length >= shortestWritten) this.#cookieValues.add(content!);
        }
      }
    }
    const pairs = [...before].map(
      ([name, value]) => `${name}=${this.#secret(name, value, `The cookie '${name}'.`)}`,
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
        value: this.#reference(rest) ?? this.#secret('token', rest, 'The token that signs in.'),
      };
    if (/^basic$/i.test(scheme)) {
      const [user = '', password = ''] = Buffer.from(rest, 'base64').toString('utf8').split(/:(.*)/s);
      return {
        kind: 'basic',
        fields: [
          ['user', withoutReferences(user)],
          ['password', this.#secret('password', password, 'The password that goes with it.')],
        ],
      };
    }
    return {
      kind: 'api-key',
      fields: [
        ['name', 'Authorization'],
        ['value', this.#secret('authorization', value, 'What signs in.')],
        ['in', 'header'],
      ],
    };
  }

  #target(url: string): { target: string; query?: string } {
    const { pathname, search } = new URL(url);
    const path = pathname
      .split('/')
      .map(segment => this.#reference(percentDecoded(segment)) ?? encodeBraces(segment))
      .join('/');
    const pairs = search
      .slice(1)
      .split('&')
      .filter(pair => pair !== '');
    const fields = path.length + search.length > longestTarget ? pairsIn(search.slice(1)) : [];
    // A line of a form has a name without white space.
    if (fields.length > 0 && fields.every(([name]) => /^[^\s=]+$/.test(name)))
      return {
        target: path,
        query: fields.flatMap(([name, value]) => this.#field(name, value)).join('\n'),
      };
    const written = pairs.map(pair => {
      const at = pair.indexOf('=');
      if (at < 0) return encodeBraces(pair);
      const [name, value] = [pair.slice(0, at), percentDecoded(pair.slice(at + 1).replaceAll('+', ' '))];
      const known =
        this.#reference(value) ??
        (isSecret(name, value) ? this.#secret(name, value, `What '${name}' carries.`) : undefined);
      return `${encodeBraces(name)}=${known ?? encodeBraces(pair.slice(at + 1))}`;
    });
    return { target: path + (written.length > 0 ? `?${written.join('&')}` : '') };
  }

  #body(
    { contentType, text, fields }: RecordedBody,
    headers: [string, string][],
  ): ImportedRequest['body'] | undefined {
    const type = contentType.replace(/;\s*boundary=.*$/i, '').trim();
    if (/^application\/x-www-form-urlencoded/i.test(type)) {
      const pairs =
        fields.length > 0
          ? fields.map(({ name, value = '' }) => [percentDecoded(name), percentDecoded(value)] as const)
          : pairsIn(text ?? '');
      return { form: 'form', text: pairs.flatMap(([name, value]) => this.#field(name, value)).join('\n') };
    }
    if (/^multipart\//i.test(type))
      return {
        form: 'multipart',
        text: fields
          .filter(({ file }) => file === undefined)
          .flatMap(({ name, value = '' }) => this.#field(name, value))
          .join('\n'),
      };
    if (text === undefined) return undefined;
    if (type !== '') headers.push(['Content-Type', withoutReferences(type)]);
    const document = /json/i.test(type) ? readJson(text) : undefined;
    if (document !== undefined) return { text: jsonText(this.#document(document, '')) };
    return { form: 'text', text: withoutReferences(text) };
  }

  #field(name: string, value: string): string[] {
    const known =
      this.#reference(value) ??
      (isSecret(name, value) ? this.#secret(name, value, `What '${name}' is.`) : undefined);
    return fieldLine(name, known === undefined ? value : { written: known });
  }

  /** Values that come from elsewhere by their names. */
  #document(value: Json, name: string): unknown {
    if (Array.isArray(value)) return value.map(each => this.#document(each, name));
    if (isJsonObject(value))
      return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, this.#document(each, key)]));
    if (typeof value !== 'string' && typeof value !== 'number') return value;
    const known = this.#nameFor(String(value)) ?? this.#secretName(name, String(value));
    return known === undefined ? value : new Named(known, typeof value === 'string');
  }

  #secretName(name: string, value: string): string | undefined {
    return isSecret(name, value) ? this.#secret(name, value, `What '${name}' is.`).slice(1, -1) : undefined;
  }

  #text(value: string, name: string): string {
    const known = this.#reference(value);
    if (known !== undefined) return known;
    return isSecret(name, value)
      ? this.#secret(name, value, `What the header ${name} carries.`)
      : withoutReferences(value);
  }

  #reference(value: string): string | undefined {
    const name = value === '' ? undefined : this.#nameFor(value);
    return name === undefined ? undefined : `{${name}}`;
  }

  /** What an earlier answer gave, or a secret that is known already. */
  #nameFor(value: string): string | undefined {
    return this.values.nameFor(value) ?? [...this.secrets.values()].find(each => each.value === value)?.name;
  }

  /** A reference to a secret, which is called like what it is. */
  #secret(name: string, value: string, about: string): string {
    const known = [...this.secrets.values()].find(each => each.value === value);
    if (known) return `{${known.name}}`;
    const own = this.#names.take(nameOf(name, 'secret'));
    this.secrets.set(own, { name: own, about, value });
    return `{${own}}`;
  }
}

/** As people write it, however the protocol does. */
function headerName(name: string): string {
  return name === name.toLowerCase() ? name.replace(/(?:^|-)[a-z]/g, letter => letter.toUpperCase()) : name;
}

function isSecret(name: string, value: string): boolean {
  return (
    value !== '' &&
    (/^(?:pin|otp)$|pass(?:word|phrase|wd)/i.test(name) ||
      (secretName.test(name) && value.length >= 6) ||
      signedToken.test(value))
  );
}

/** `Get cart items`, from `GET /cart/{cart-id}/items`. */
function titleOf(method: string, target: string): string {
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
