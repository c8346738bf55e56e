import type { Document } from 'slimdom';
import type { ReceivedResponse } from '../model/http.ts';
import { type Found, Missing, type Value } from '../model/value.ts';
import { JsonError, readJson } from '../values/json.ts';
import { readXml, XmlError } from '../values/xml.ts';
import { decodeBody } from './charset.ts';
import { type HtmlDocument, readHtml } from './documents/html.ts';
import { type Link, readLinks } from './links.ts';

/** What else is known of an exchange, for statements that ask for it. */
export interface Surroundings {
  /** The Set-Cookie headers of every hop, in order. */
  readonly setCookies?: readonly string[];
  /** Why the body cannot be read, where it is not kept as it was. */
  readonly unreadable?: string;
}

/** What statements see of a response, or of a request as it was sent. Everything is read once, when first asked for. */
export class ResponseView {
  #body: string | Missing | undefined;
  #document: Found | undefined;
  #xml: Document | Missing | undefined;
  #html: HtmlDocument | Missing | undefined;
  #links: readonly Link[] | undefined;

  constructor(
    readonly received: ReceivedResponse,
    readonly surroundings: Surroundings = {},
  ) {}

  /** Every value of a header, in order; names in any case. A field behind the body counts where none stands before it. */
  headerValues(name: string): readonly string[] {
    const { headers, trailers } = this.received;
    const values = valuesOf(headers, name);
    return values.length > 0 || !trailers ? values : valuesOf(trailers, name);
  }

  headerNames(): readonly string[] {
    const { headers, trailers = [] } = this.received;
    return [...new Set([...headers, ...trailers].map(([name]) => name.toLowerCase()))];
  }

  /** The body as text, as well as it can be read. */
  get text(): string {
    const { body } = this;
    return body instanceof Missing ? Buffer.from(this.received.body).toString('latin1') : body;
  }

  /** The body as text, by its charset. */
  get body(): string | Missing {
    this.#body ??= this.#readBody();
    return this.#body;
  }

  #readBody(): string | Missing {
    const { unreadable } = this.surroundings;
    return unreadable === undefined
      ? decodeBody(this.received.body, this.headerValues('content-type')[0])
      : new Missing(unreadable, true);
  }

  get bytes(): Value | Missing {
    const { unreadable } = this.surroundings;
    return unreadable === undefined ? this.received.body : new Missing(unreadable, true);
  }

  /** The body as a JSON document; several of them, where they stand line by line, as a list. */
  get document(): Found {
    if (this.#document === undefined) {
      const { body } = this;
      this.#document = body instanceof Missing ? body : this.#readDocument(body);
    }
    return this.#document;
  }

  #readDocument(body: string): Found {
    try {
      if (
        /^application\/(?:x-)?(?:ndjson|jsonl|json-lines|jsonlines)\b/i.test(
          this.headerValues('content-type')[0] ?? '',
        )
      )
        return body
          .split('\n')
          .filter(line => line.trim() !== '')
          .map(readJson);
      return readJson(body);
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return new Missing(this.#whyNoJson(error), true);
    }
  }

  #whyNoJson(error: JsonError): string {
    if (this.received.body.length === 0) return 'the response has no body';
    const type = this.headerValues('content-type')[0];
    const place = `line ${this.text.slice(0, error.offset).split('\n').length}`;
    const detail = `${error.message} (${place} of the body)`;
    return `the body is no JSON: ${type && !/json/i.test(type) ? `its Content-Type is ${type}` : detail}`;
  }

  /** The body as text, where there is any. */
  get #content(): string | Missing {
    const { body } = this;
    return body instanceof Missing || body.trim() !== ''
      ? body
      : new Missing('the response has no body', true);
  }

  /** The body as an XML document. */
  get xml(): Document | Missing {
    this.#xml ??= this.#readXml();
    return this.#xml;
  }

  #readXml(): Document | Missing {
    const body = this.#content;
    if (body instanceof Missing) return body;
    try {
      return readXml(body.trimStart());
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
      const type = this.headerValues('content-type')[0];
      const line = body.slice(0, error.offset).split('\n').length;
      const why =
        type && !/xml/i.test(type)
          ? `its Content-Type is ${type}`
          : `${error.message} (line ${line} of the body)`;
      return new Missing(`the body is no XML: ${why}`, true);
    }
  }

  /** The body as a web page; what is wrong with its form is mended as browsers do. */
  get html(): HtmlDocument | Missing {
    this.#html ??= this.#readHtml();
    return this.#html;
  }

  /** Any text can be read as HTML; what never was a page must not be taken for one that lacks something. */
  #readHtml(): HtmlDocument | Missing {
    const body = this.#content;
    if (body instanceof Missing) return body;
    const type = this.headerValues('content-type')[0];
    if (type === undefined ? body.includes('<') : /html|xml/i.test(type)) return readHtml(body);
    return new Missing(
      `the body is no HTML${type === undefined ? '' : `: its Content-Type is ${type}`}`,
      true,
    );
  }

  /** The Location header as an absolute URL. */
  get location(): readonly string[] | Missing {
    const [location] = this.headerValues('location');
    if (location === undefined) return new Missing('the response has no header location');
    return URL.canParse(location, this.received.url)
      ? [new URL(location, this.received.url).href]
      : new Missing(`'${location}' is no address that a Location header can give`, true);
  }

  /** The Link headers (RFC 8288), their targets as absolute URLs. */
  get links(): readonly Link[] {
    this.#links ??= this.headerValues('link').flatMap(value => readLinks(value, this.received.url));
    return this.#links;
  }

  /** Names and values of the cookies that any hop of the exchange set. */
  get setCookies(): readonly (readonly [string, string])[] {
    const { setCookies = [] } = this.surroundings;
    const cookies = new Map(setCookies.map(line => readPair(line.split(';')[0]!)));
    return [...cookies];
  }

  /** Of a request: the cookies that went out with it. */
  get sentCookies(): readonly (readonly [string, string])[] {
    return this.headerValues('cookie').flatMap(value => value.split(';').map(readPair));
  }
}

function readPair(text: string): [string, string] {
  const at = text.indexOf('=');
  return at < 0 ? ['', text.trim()] : [text.slice(0, at).trim(), text.slice(at + 1).trim()];
}

function valuesOf(fields: readonly (readonly [string, string])[], name: string): string[] {
  const wanted = name.toLowerCase();
  const values: string[] = [];
  for (const [each, value] of fields)
    if (each.length === wanted.length && each.toLowerCase() === wanted) values.push(value);
  return values;
}
