import type { DocumentForm } from '../../../language/ast.ts';
import type { Place } from '../../../language/templates/template.ts';
import type { ReceivedResponse } from '../../../model/http-messages.ts';
import { type Found, isObject, Missing, Plain, Size, type Value } from '../../../model/value.ts';
import { meetOpen, openValue } from '../../../values/open-value.ts';
import { ResponseView } from '../response-view.ts';
import type { FilledExample } from './fill-example.ts';

/** Stands for values that are not known in what an example was filled with: a character that nobody uses. */
export const openMark = '\u{F0B5E}';

/** The mark as it has to be written in a place. */
export function openIn(_: string, place: Place): string {
  return place === 'json-value' ? `"${openMark}"` : openMark;
}

/** Statuses whose responses have no body (RFC 9110, 6.4.1). */
const withoutBody: ReadonlySet<number> = new Set([204, 205, 304]);

/**
 * An example response, as statements see it. What an example cannot show, or does not, is open: whoever looks at it throws
 * OpenValueError.
 */
export class ExampleView extends ResponseView {
  #document: Found | undefined;
  readonly #text: string | undefined;
  readonly #isBodyless: boolean;

  /**
   * @param method of the request that it answers
   * @param url where it is answered, as far as that is known
   */
  constructor(filled: FilledExample, method: string, url = '') {
    super(responseOf(filled, url), {}, 'the example');
    this.#text = filled.body && 'text' in filled.body ? filled.body.text : undefined;
    this.#isBodyless = method === 'HEAD' || withoutBody.has(filled.status);
  }

  /** It is read beside what looks at it: no part of it has to be shown. */
  override get hasContent(): boolean {
    return false;
  }

  override word(word: string): Found {
    const { status, reason } = this.received;
    if (word === 'status') return status;
    if (word === 'reason' && reason !== '') return reason;
    if (word === 'size' && this.#isBodyless) return new Size(0);
    return meetOpen();
  }

  override hop(): never {
    return meetOpen();
  }

  override field(form: string, argument: string): readonly string[] | Missing {
    if (form === 'header') return shown(this.headerValues(argument));
    if (form === 'cookie')
      return shown(this.cookies.flatMap(([name, value]) => (name === argument ? [value] : [])));
    const { url } = this.received;
    if (url !== '' && form === 'url') return [url];
    if (url !== '' && (form === 'location' || form === 'link')) {
      shown(this.headerValues(form));
      return super.field(form, argument);
    }
    if (form === 'location') {
      const location = shown(this.headerValues('location'));
      return URL.canParse(location[0]!) ? [new URL(location[0]!).href] : meetOpen();
    }
    return meetOpen();
  }

  override get cookies(): readonly (readonly [string, string])[] {
    return this.headerValues('set-cookie').map(line => {
      const [, name = '', value = ''] = /^\s*([^=;]*?)\s*=\s*([^;]*?)\s*(?:;|$)/.exec(line) ?? [];
      return [name, value];
    });
  }

  /** How JSON and XML are laid out in a page says nothing of how they come. */
  override get body(): string | Missing {
    const isLaidOut = /\b(?:json|xml|html|yaml)\b/i.test(this.contentType ?? '');
    return isLaidOut ? meetOpen() : this.#whole;
  }

  override get bytes(): Value | Missing {
    return meetOpen();
  }

  protected override get readable(): string | Missing {
    if (this.#isBodyless) return '';
    return this.#text ?? meetOpen();
  }

  /** The body where all of it is known. */
  get #whole(): string | Missing {
    const text = this.readable;
    return typeof text === 'string' && text.includes(openMark) ? meetOpen() : text;
  }

  override get document(): Found {
    this.#document ??= this.#withOpen(super.document);
    return this.#document;
  }

  override documentAs(form: DocumentForm | undefined): Found {
    return form === undefined ? this.document : this.#withOpen(super.documentAs(form));
  }

  /** What cannot be read may be readable once its values are there. */
  #withOpen(found: Found): Found {
    if (!this.#text?.includes(openMark)) return found;
    return found instanceof Missing ? meetOpen() : openWithin(found);
  }

  override get xml(): ResponseView['xml'] {
    return this.#whole instanceof Missing ? this.#whole : super.xml;
  }

  override get html(): ResponseView['html'] {
    return this.#whole instanceof Missing ? this.#whole : super.html;
  }
}

function responseOf({ status, reason, headers, body }: FilledExample, url: string): ReceivedResponse {
  const bytes = Buffer.from(body && 'text' in body ? body.text : '');
  return { url, status, reason, version: '', headers, body: bytes, size: bytes.length, time: 0 };
}

/** What headers say; those that an example does not write, or whose values are not known, are open. */
function shown(values: readonly string[]): readonly string[] {
  if (values.length === 0 || values.some(value => value.includes(openMark))) meetOpen();
  return values;
}

/** A document in which texts with a mark are open, and objects with such a name. */
function openWithin(value: Value): Value {
  if (typeof value === 'string') return value.includes(openMark) ? openValue : value;
  if (value instanceof Plain) return value.text.includes(openMark) ? openValue : value;
  if (Array.isArray(value)) return value.map(openWithin);
  if (!isObject(value)) return value;
  const members = Object.entries(value);
  if (members.some(([name]) => name.includes(openMark))) return openValue;
  return Object.fromEntries(members.map(([name, each]) => [name, openWithin(each)]));
}
