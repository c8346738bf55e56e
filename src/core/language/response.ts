import { JsonMistake, readJson } from '../values/json.ts';
import { type Found, Missing } from '../values/value.ts';

/** A response as the driver hands it over. */
export interface ReceivedResponse {
  readonly url: string;
  readonly status: number;
  readonly reason: string;
  /** In the order and spelling in which they came. */
  readonly headers: readonly (readonly [name: string, value: string])[];
  /** Decoded. */
  readonly body: Uint8Array;
  /** From the first byte sent to the last received, in milliseconds. */
  readonly time: number;
}

/** What statements see of a response. Everything that has to be read from it is read once, when first asked for. */
export class ResponseView {
  #headers: Map<string, string[]> | undefined;
  #text: string | undefined;
  #document: Found | undefined;

  constructor(readonly received: ReceivedResponse) {}

  /** Every value of a header, in order; names in any case. */
  headerValues(name: string): readonly string[] {
    if (!this.#headers) {
      this.#headers = new Map();
      for (const [each, value] of this.received.headers) {
        const key = each.toLowerCase();
        const values = this.#headers.get(key);
        if (values) values.push(value);
        else this.#headers.set(key, [value]);
      }
    }
    return this.#headers.get(name.toLowerCase()) ?? [];
  }

  headerNames(): readonly string[] {
    return [...new Set(this.received.headers.map(([name]) => name.toLowerCase()))];
  }

  /** The body by the charset of its Content-Type, UTF-8 where none is given. */
  get text(): string {
    this.#text ??= decode(this.received.body, this.headerValues('content-type')[0]);
    return this.#text;
  }

  /** The body as a JSON document. */
  get document(): Found {
    if (this.#document === undefined) {
      try {
        this.#document = readJson(this.text);
      } catch (error) {
        if (!(error instanceof JsonMistake)) throw error;
        this.#document = new Missing(this.#whyNoJson(error), true);
      }
    }
    return this.#document;
  }

  #whyNoJson(mistake: JsonMistake): string {
    if (this.received.body.length === 0) return 'the response has no body';
    const type = this.headerValues('content-type')[0];
    const place = `line ${this.text.slice(0, mistake.offset).split('\n').length}`;
    const detail = `${mistake.message} (${place} of the body)`;
    return `the body is no JSON: ${type && !/json/i.test(type) ? `its Content-Type is ${type}` : detail}`;
  }
}

function decode(body: Uint8Array, contentType: string | undefined): string {
  const charset = contentType && /;\s*charset="?([^";\s]+)/i.exec(contentType)?.[1];
  if (!charset || /^utf-?8$/i.test(charset)) {
    const text = Buffer.from(body.buffer, body.byteOffset, body.byteLength).toString('utf8');
    return text.startsWith('\uFEFF') ? text.slice(1) : text;
  }
  try {
    return new TextDecoder(charset).decode(body);
  } catch {
    return new TextDecoder('latin1').decode(body);
  }
}
