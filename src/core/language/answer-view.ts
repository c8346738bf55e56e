import type { Document } from 'slimdom';
import { type Found, Missing, type Value } from '../model/value.ts';
import { readCsvBody } from '../values/csv-body.ts';
import { JsonError, readJson } from '../values/json-document.ts';
import { TableError } from '../values/table-reader.ts';
import { readXml, XmlError } from '../values/xml.ts';
import type { DocumentForm } from './ast.ts';
import { decodeBody } from './charset.ts';
import { type HtmlDocument, readHtml } from './documents/html.ts';

/** What came of a step, as bytes. */
export interface AnswerContent {
  /** Decoded; only its beginning where it was too large to be kept. */
  readonly body: Uint8Array;
  /** Of the whole body, decoded, in bytes. */
  readonly size: number;
  /** How long it took, in milliseconds. */
  readonly time: number;
}

/** What a script is handed of an answer: words by their names, fields, and what its text and its document are read from. */
export interface HandedAnswer {
  readonly words: { readonly [name: string]: Value };
  readonly fields?: readonly (readonly [name: string, value: string])[];
  readonly content?: Uint8Array;
  /** As a Content-Type names it. */
  readonly contentType?: string | undefined;
  /** Why the content cannot be read. */
  readonly unreadable?: string | undefined;
  /** Where it is no JSON text. */
  readonly document?: Value;
}

/**
 * What statements see of what came of the step above them, or of what was asked there. Everything is read once, when
 * first asked for. A kind of step says what else it offers: words such as `status`, and fields such as `header NAME`.
 */
export abstract class AnswerView {
  #body: string | Missing | undefined;
  #document: Found | undefined;
  #xml: Document | Missing | undefined;
  #html: HtmlDocument | Missing | undefined;
  #lines: Found | undefined;
  #table: Found | undefined;

  constructor(
    readonly received: AnswerContent,
    /** What it is called where it is missing something: `the response`. */
    readonly name: string,
    /** Why the body cannot be read, where it is not kept as it was. */
    readonly unreadable?: string | undefined,
  ) {}

  /** What a report calls its content. */
  get contentName(): string {
    return 'response';
  }

  /** What its bytes are called: `body`. */
  protected get bodyWord(): string {
    return 'body';
  }

  /** As a Content-Type names it. */
  abstract get contentType(): string | undefined;

  abstract handOver(): HandedAnswer;

  /** What a word such as `status` stands for. */
  abstract word(word: string): Found;

  /** The values of a field such as `header NAME`, in order. */
  abstract field(form: string, argument: string): readonly string[] | Missing;

  /** What a redirect on the way came with; counted from 1. */
  hop(_number: number): AnswerView | Missing {
    return Missing.unreadable(`${this.name} has no hops`);
  }

  /** Whether several values of a field make one text. */
  abstract joins(form: string, argument: string): boolean;

  /** Whether there is anything that a path could look at. */
  get hasContent(): boolean {
    return this.received.body.length > 0;
  }

  /** How much statements look at: bytes. */
  get weight(): number {
    return this.received.body.length;
  }

  /** The body as text, as well as it can be read. */
  get text(): string {
    const { body } = this;
    return body instanceof Missing ? Buffer.from(this.received.body).toString('latin1') : body;
  }

  /** The body as text, by its charset. */
  get body(): string | Missing {
    this.#body ??=
      this.unreadable === undefined
        ? decodeBody(this.received.body, this.contentType)
        : Missing.unreadable(this.unreadable);
    return this.#body;
  }

  /** What a document can be read from: a body that is only told of is none. */
  protected get readable(): string | Missing {
    return this.unreadable === undefined ? this.body : Missing.unreadable(this.unreadable);
  }

  get bytes(): Value | Missing {
    return this.unreadable === undefined ? this.received.body : Missing.unreadable(this.unreadable);
  }

  /** The body as a JSON document; several of them, where they stand line by line, as a list. */
  get document(): Found {
    if (this.#document === undefined) {
      const body = this.readable;
      this.#document = body instanceof Missing ? body : this.#readDocument(body);
    }
    return this.#document;
  }

  /** The same, read in a form that its type need not say. */
  documentAs(form: DocumentForm | undefined): Found {
    if (form === undefined) return this.document;
    const body = this.readable;
    if (body instanceof Missing) return body;
    if (form === 'csv') {
      this.#table ??= this.#readTable(body);
      return this.#table;
    }
    this.#lines ??= this.#readLines(body);
    return this.#lines;
  }

  #readTable(body: string): Found {
    try {
      return readCsvBody(body);
    } catch (error) {
      if (!(error instanceof TableError)) throw error;
      const line = error.line === undefined ? '' : ` (line ${error.line} of the ${this.bodyWord})`;
      return Missing.unreadable(`the ${this.bodyWord} is no table: ${error.message}${line}`);
    }
  }

  #readLines(body: string): Found {
    const documents: Value[] = [];
    for (const [at, line] of body.split('\n').entries()) {
      if (line.trim() === '') continue;
      try {
        documents.push(readJson(line));
      } catch (error) {
        if (!(error instanceof JsonError)) throw error;
        return Missing.unreadable(`line ${at + 1} of the ${this.bodyWord} is no JSON: ${error.message}`);
      }
    }
    if (documents.length === 0 && body.length === 0)
      return Missing.unreadable(`${this.name} has no ${this.bodyWord}`);
    return documents;
  }

  #readDocument(body: string): Found {
    try {
      return documentIn(body, this.contentType);
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return Missing.unreadable(this.#whyNoJson(error));
    }
  }

  #whyNoJson(error: JsonError): string {
    if (this.received.body.length === 0) return `${this.name} has no ${this.bodyWord}`;
    const type = this.contentType;
    const place = `line ${this.text.slice(0, error.offset).split('\n').length}`;
    const detail = `${error.message} (${place} of the ${this.bodyWord})`;
    return `the ${this.bodyWord} is no JSON: ${type && !/json/i.test(type) ? `its Content-Type is ${type}` : detail}`;
  }

  /** The body as text, where there is any. */
  get #content(): string | Missing {
    const body = this.readable;
    return body instanceof Missing || body.trim() !== ''
      ? body
      : Missing.unreadable(`${this.name} has no ${this.bodyWord}`);
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
      const type = this.contentType;
      const line = body.slice(0, error.offset).split('\n').length;
      const why =
        type && !/xml/i.test(type)
          ? `its Content-Type is ${type}`
          : `${error.message} (line ${line} of the body)`;
      return Missing.unreadable(`the body is no XML: ${why}`);
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
    const type = this.contentType;
    if (type === undefined ? body.includes('<') : /html|xml/i.test(type)) return readHtml(body);
    return Missing.unreadable(
      `the body is no HTML${type === undefined ? '' : `: its Content-Type is ${type}`}`,
    );
  }
}

/** A text as a JSON document; several of them, where they stand line by line, as a list. Throws JsonError. */
export function documentIn(text: string, contentType: string | undefined): Value {
  if (/^application\/(?:x-)?(?:ndjson|jsonl|json-lines|jsonlines)\b/i.test(contentType ?? ''))
    return text
      .split('\n')
      .filter(line => line.trim() !== '')
      .map(readJson);
  return readJson(text);
}
