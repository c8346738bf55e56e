import { AnswerView, type HandedAnswer } from '../../language/answer-view.ts';
import type { ReceivedResponse } from '../../model/http-messages.ts';
import { Duration, type Found, Missing, Size, type Value } from '../../model/value.ts';
import { valuesOfHeader } from '../../text/header-values.ts';
import { type Link, readLinks } from './links.ts';

/** What else is known of an exchange, for statements that ask for it. */
export interface ExchangeFacts {
  /** The Set-Cookie headers of every hop, in order. */
  readonly setCookies?: readonly string[];
  /** Why the body cannot be read, where it is not kept as it was. */
  readonly unreadable?: string;
  /** The responses that redirects came with, in order. */
  readonly hops?: readonly ReceivedResponse[];
}

/** A response, as statements see it. */
export class ResponseView extends AnswerView {
  #links: readonly Link[] | undefined;

  constructor(
    override readonly received: ReceivedResponse,
    readonly facts: ExchangeFacts = {},
    name = 'the response',
  ) {
    super(received, name, facts.unreadable);
  }

  get contentType(): string | undefined {
    return this.headerValues('content-type')[0];
  }

  word(word: string): Found {
    const { received } = this;
    switch (word) {
      case 'status':
        return received.status;
      case 'reason':
        return received.reason;
      case 'version':
        return received.version;
      case 'time':
        return new Duration(received.time);
      case 'size':
        return new Size(received.size);
      case 'hops':
        return (this.facts.hops ?? []).map(hopValue);
      default:
        return Missing.unreadable(`${this.name} has no ${word}`);
    }
  }

  handOver(): HandedAnswer {
    const { status, reason, url, time, headers, trailers = [], body } = this.received;
    return {
      words: { status, reason, url, time },
      fields: [...headers, ...trailers],
      content: body,
      contentType: this.contentType,
      unreadable: this.facts.unreadable,
    };
  }

  override hop(number: number): ResponseView | Missing {
    const { hops = [] } = this.facts;
    const received = hops[number - 1];
    if (received) return new ResponseView(received, {}, `hop ${number}`);
    return new Missing(
      `there is no hop ${number}; ${hops.length === 0 ? 'no redirect was followed' : `there are ${hops.length}`}`,
    );
  }

  field(form: string, argument: string): readonly string[] | Missing {
    switch (form) {
      case 'url':
        return [this.received.url];
      case 'location':
        return this.location;
      case 'header':
        return this.#orMissing(
          this.headerValues(argument),
          () => `has no header ${argument}; there are ${this.headerNames().join(', ') || 'none'}`,
        );
      case 'cookie': {
        const cookies = this.cookies;
        const values = cookies.flatMap(([name, value]) => (name === argument ? [value] : []));
        if (values.length > 0) return values;
        const names = [...new Set(cookies.map(([name]) => name))].join(', ');
        return new Missing(
          `no cookie ${argument} was ${this.cookieVerb}; ${names === '' ? 'none was' : `there are ${names}`}`,
        );
      }
      case 'link':
        return this.#orMissing(
          this.links.flatMap(({ relations, url }) =>
            relations.includes(argument.toLowerCase()) ? [url] : [],
          ),
          () => {
            const relations = [...new Set(this.links.flatMap(link => link.relations))].join(', ');
            return `has no link ${argument}; ${relations === '' ? 'there are none' : `there are ${relations}`}`;
          },
        );
      default:
        return Missing.unreadable(`${this.name} has no ${form}`);
    }
  }

  #orMissing(values: readonly string[], reason: () => string): readonly string[] | Missing {
    return values.length > 0 ? values : new Missing(`${this.name} ${reason()}`);
  }

  /** Several fields of one name make one list (RFC 9110, 5.3), but for the one whose values have commas of their own. */
  joins(form: string, argument: string): boolean {
    return form === 'header' && argument.toLowerCase() !== 'set-cookie';
  }

  /** Every value of a header, in order; names in any case. A field behind the body counts where none stands before it. */
  headerValues(name: string): readonly string[] {
    const { headers, trailers } = this.received;
    const values = valuesOfHeader(headers, name);
    return values.length > 0 || !trailers ? values : valuesOfHeader(trailers, name);
  }

  headerNames(): readonly string[] {
    const { headers, trailers = [] } = this.received;
    return [...new Set([...headers, ...trailers].map(([name]) => name.toLowerCase()))];
  }

  /** The Location header as an absolute URL. */
  get location(): readonly string[] | Missing {
    const [location] = this.headerValues('location');
    if (location === undefined) return new Missing('the response has no header location');
    return URL.canParse(location, this.received.url)
      ? [new URL(location, this.received.url).href]
      : Missing.unreadable(`'${location}' is no address that a Location header can give`);
  }

  /** The Link headers (RFC 8288), their targets as absolute URLs. */
  get links(): readonly Link[] {
    this.#links ??= this.headerValues('link').flatMap(value => readLinks(value, this.received.url));
    return this.#links;
  }

  /** Names and values of the cookies that any hop of the exchange set. */
  get cookies(): readonly (readonly [string, string])[] {
    const { setCookies = [] } = this.facts;
    return [...new Map(setCookies.map(line => readPair(line.split(';')[0]!)))];
  }

  protected get cookieVerb(): string {
    return 'set';
  }
}

/** A redirect, in a list of all of them. */
function hopValue({ status, url, headers }: ReceivedResponse): Value {
  return { status, url, location: valuesOfHeader(headers, 'location')[0] ?? null };
}

/** A request as it was sent, as statements see it. */
export class RequestView extends ResponseView {
  /** @param tell the text of a body that holds files, which are not kept: what they are stands in their places */
  constructor(
    received: ReceivedResponse,
    readonly tell?: () => string,
    readonly method = '',
  ) {
    super(received, tell ? { unreadable: 'the request sent a file, which is not kept' } : {}, 'the request');
  }

  override handOver(): HandedAnswer {
    const { method, received } = this;
    return { ...super.handOver(), words: { method, url: received.url } };
  }

  override get body(): string | Missing {
    return this.tell ? this.tell() : super.body;
  }

  /** Those that went out with it. */
  override get cookies(): readonly (readonly [string, string])[] {
    return this.headerValues('cookie').flatMap(value => value.split(';').map(readPair));
  }

  protected override get cookieVerb(): string {
    return 'sent';
  }
}

function readPair(text: string): [string, string] {
  const at = text.indexOf('=');
  return at < 0 ? ['', text.trim()] : [text.slice(0, at).trim(), text.slice(at + 1).trim()];
}
