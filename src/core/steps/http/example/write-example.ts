import statuses from 'statuses';
import type { Entry, EvaluationContext } from '../../../language/evaluation-context.ts';
import { referenceText } from '../../../language/reference.ts';
import { renderBase } from '../../../language/templates/target.ts';
import type { Template } from '../../../language/templates/template.ts';
import { Exact, isObject, Missing, Plain, type Value } from '../../../model/value.ts';
import { writeJson } from '../../../values/json-document.ts';
import { isNumeric, numberText } from '../../../values/number.ts';
import { isBinary, textOf } from '../../../values/text.ts';
import type { ResponseView } from '../response-view.ts';
import { withoutReferences } from '../write-request.ts';

/** What is known by the time that an example is written. */
export interface KnownNames {
  /** Names that had a value before the response came; the nearest first. */
  readonly bound: ReadonlyMap<string, Entry>;
  /** Names whose values nobody may see, those that were kept from the response itself among them. */
  readonly secret: ReadonlyMap<string, Entry>;
  /** What stands before targets up to the end of its host, as it is written and as it was filled, where it refers to names. */
  readonly origin?: Origin | undefined;
  /** With everything masked in it that nobody may see. */
  mask(text: string): string;
}

export interface Origin {
  readonly written: string;
  readonly filled: string;
}

/** Headers that are about the way of a message or its moment, and not about what it says. */
const passing = new Set([
  ...['connection', 'keep-alive', 'proxy-connection', 'proxy-authenticate', 'transfer-encoding', 'te'],
  ...['trailer', 'upgrade', 'via', 'content-length', 'content-encoding', 'date', 'age', 'alt-svc', 'server'],
  ...['set-cookie', 'set-cookie2'],
]);

/** An opening tag and the text behind it; an attribute. What is escaped in them stays as it is. */
const elements = /(<(?:[\w.-]+:)?([\w.-]+)(?:\s[^<>]*)?>)([^<>&]+)(?=<)/g;
const attributes = /(\s(?:[\w.-]+:)?)([\w.-]+)="([^"&<]+)"/g;

/** A value as short as that stands in many places by chance. */
const shortest = 4;

/**
 * A response as the text of an example: what it holds of values that were known before stands there by their names, and
 * what nobody may see by its own.
 * @param document in the place of the JSON document that came, where only a part of it is to be shown
 */
export function writeExample(
  view: ResponseView,
  names: KnownNames,
  hidden: ReadonlySet<string>,
  document: Value | Missing = jsonOf(view),
): string {
  const { status, reason, headers } = view.received;
  const writer = new ExampleWriter(names);
  const lines = headers
    .filter(([name]) => !passing.has(name.toLowerCase()) && !hidden.has(name.toLowerCase()))
    .map(([name, value]) => `${name}: ${writer.text(value, name)}`.trimEnd());
  const head = [`HTTP/1.1 ${status} ${reason || (statuses.message[status] ?? '')}`.trimEnd(), ...lines].join(
    '\n',
  );
  const body = document instanceof Missing ? writer.plainBody(view) : writer.json(document);
  return body === '' ? head : `${head}\n\n${body}`;
}

/** The document of a body that is one of JSON as a whole. */
export function jsonOf(view: ResponseView): Value | Missing {
  const isOne = /^[^;]*[/+]json\s*(?:;|$)/i.test(view.contentType ?? '');
  return isOne ? view.document : Missing.unreadable('it is no JSON document');
}

/** Characters that nobody uses: between them stands the number of a piece that is put there in the end. */
const [open, close] = ['\u{F0B60}', '\u{F0B61}'];

class ExampleWriter {
  readonly #pieces: string[] = [];

  constructor(readonly names: KnownNames) {}

  json(document: Value): string {
    const written = withoutReferences(writeJson(this.#marked(document, undefined), 2));
    return written.replace(
      new RegExp(`"${open}(\\d+)${close}"`, 'g'),
      (_, index) => this.#pieces[Number(index)]!,
    );
  }

  /** A body that is no JSON stands there as it came, but for what texts and attributes of XML stand for, and secrets. */
  plainBody(view: ResponseView): string {
    const { body } = view;
    if (body instanceof Missing || isBinary(body)) return '';
    const written = withoutReferences(body.replace(/\r\n?/g, '\n')).replace(/\n$/, '');
    return this.#masked(/[/+]xml\b/i.test(view.contentType ?? '') ? this.#inXml(written) : written);
  }

  #inXml(written: string): string {
    const named = (text: string, member: string) => {
      const name = this.#secretNamed(text) ?? this.#boundTo(text, member, value => textOf(value) === text);
      return name === undefined ? text : `{${name}}`;
    };
    return written
      .replace(elements, (_, tag, element, text) => tag + named(text, element))
      .replace(
        attributes,
        (_, before, attribute, text) => `${before}${attribute}="${named(text, attribute)}"`,
      );
  }

  /** @param member what it is called in the document, or the header */
  text(text: string, member?: string): string {
    const name = this.#secretNamed(text) ?? this.#boundTo(text, member, value => textOf(value) === text);
    return name === undefined ? this.#masked(this.#address(text)) : `{${name}}`;
  }

  /** The document with pieces in the place of its scalars that stand for something else. */
  #marked(value: Value, member: string | undefined): Value {
    if (Array.isArray(value)) return value.map(each => this.#marked(each, member));
    if (isObject(value))
      return Object.fromEntries(
        Object.entries(value).map(([name, each]) => [name, this.#marked(each, name)]),
      );
    if (typeof value === 'string') return this.#piece(value, JSON.stringify(this.text(value, member)));
    return isNumeric(value) ? this.#number(value, member) : value;
  }

  #number(value: number | Exact, member: string | undefined): Value {
    const text = numberText(value);
    const secret = this.#secretNamed(text);
    const name = secret ?? this.#boundTo(text, member, each => isNumberNamed(each) && textOf(each) === text);
    if (name !== undefined) return this.#add(`{${name}}`);
    const masked = this.names.mask(text);
    return masked === text ? value : this.#add(JSON.stringify(masked));
  }

  #piece(value: string, written: string): Value {
    // What has to be escaped is escaped with all the rest.
    return written === JSON.stringify(withoutReferences(value)) ? value : this.#add(written);
  }

  #add(piece: string): string {
    this.#pieces.push(piece);
    return `${open}${this.#pieces.length - 1}${close}`;
  }

  #secretNamed(text: string): string | undefined {
    for (const [name, { value }] of this.names.secret) if (textOf(value) === text && text !== '') return name;
    return undefined;
  }

  #boundTo(text: string, member: string | undefined, fits: (value: Value) => boolean): string | undefined {
    const isLong = [...text].length >= shortest;
    let found: string | undefined;
    for (const [name, { value, secret, holdsSecret }] of this.names.bound) {
      if (secret || holdsSecret || typeof value === 'boolean' || !fits(value)) continue;
      if (member !== undefined && plainName(member) === plainName(name)) return name;
      if (isLong) found ??= name;
    }
    return found;
  }

  /** An address at the place that the collection is for, and values that are a part of a path or a query. */
  #address(text: string): string {
    const { origin } = this.names;
    const rest = origin && restBehind(origin.filled, text);
    const [begin, path] = rest === undefined ? ['', text] : [origin!.written, rest];
    if (!/^(?:[a-z][a-z\d+.-]*:\/)?\/\S*$|^\?\S+$|^<\S+>;/i.test(path) && rest === undefined)
      return withoutReferences(text);
    const named = path
      .split(/([/?&=#:;,<>\s]+)/)
      .map(part => {
        const name = this.#boundTo(part, undefined, value => textOf(value) === part);
        return name === undefined || part === '' ? withoutReferences(part) : `{${name}}`;
      })
      .join('');
    return begin + named;
  }

  /** Secrets by their names where they stand as they are, and masked in every other form. */
  #masked(written: string): string {
    let text = written;
    for (const [name, { value }] of this.names.secret) {
      const secret = textOf(value);
      if (secret !== undefined && secret.length >= shortest) text = text.replaceAll(secret, `{${name}}`);
    }
    return this.names.mask(text);
  }
}

/**
 * What stands before targets, up to the end of the host, where that refers to names: addresses in a response that begin
 * with it lead to wherever the pages run.
 */
export function originOf(base: Template, context: EvaluationContext): Origin | undefined {
  let [written, filled] = ['', ''];
  let refers = false;
  for (const [index, part] of base.parts.entries()) {
    const text = typeof part === 'string' ? part : renderBase({ parts: [part] }, context);
    const path = /^[a-z][a-z\d+.-]*:\/\/[^/?#]+(?=[/?#])/i.exec(filled + text)?.[0];
    if (path !== undefined && typeof part === 'string')
      return refers
        ? { written: written + text.slice(0, path.length - filled.length), filled: path }
        : undefined;
    refers ||= typeof part !== 'string';
    written += typeof part === 'string' ? part : `{${referenceText(part.reference)}}`;
    filled += text;
    if (path !== undefined && index === 0) break;
  }
  return refers && /^[a-z][a-z\d+.-]*:\/\//i.test(filled)
    ? { written, filled: filled.replace(/\/$/, '') }
    : undefined;
}

function isNumberNamed(value: Value): boolean {
  return isNumeric(value) || (value instanceof Plain && !value.quoted) || value instanceof Exact;
}

function restBehind(begin: string, text: string): string | undefined {
  if (begin === '' || !text.startsWith(begin)) return undefined;
  const rest = text.slice(begin.length);
  return rest === '' || /^[/?#]/.test(rest) ? rest : undefined;
}

/** `ledgerFile` and `ledger-file` are one name. */
function plainName(name: string): string {
  return name.toLowerCase().replace(/[-_]/g, '');
}
