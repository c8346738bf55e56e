import { SourceError } from '../model/finding.ts';
import { type DocumentForm, namedSources, plainSources, type Reference, type ResponseSource } from './ast.ts';
import { type Selector, selectorOf } from './documents/selector.ts';
import { parsePath } from './jsonpath/parse.ts';
import type { Lexer } from './lexer.ts';
import { referenceText } from './reference.ts';

/** What a response offers: everything that begins with `$`, or with the name of a source. */
export class SourceParser {
  constructor(readonly lexer: Lexer) {}

  /** The name of a fence of the page, or a file. */
  fileOrName(what: string): string {
    const quoted = this.quotedName();
    return quoted ?? this.lexer.readBare() ?? this.lexer.fail(`${what} should stand here.`);
  }

  /** A text that must be known before the run. */
  protected quotedName(): string | undefined {
    const { lexer } = this;
    lexer.skipSpace();
    const start = lexer.at;
    const text = lexer.readText();
    if (text?.parts.some(part => typeof part !== 'string'))
      lexer.fail(
        'No reference can stand in a name here.',
        start,
        'Write the name out, or write \\{ for a brace.',
      );
    return text?.parts.join('');
  }

  sourceOrReference(after: string): ResponseSource | Reference {
    const found = this.lexer.readReference() ?? this.source();
    return found ?? this.lexer.fail(`A path or a reference to a list should follow ${after}.`);
  }

  // source :: sent? ( path | xml | named pattern? ) | html | bytes | status | reason | version | time | size | fault
  source(): ResponseSource | undefined {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    const sent = lexer.takeWord('sent') !== undefined;
    lexer.skipSpace();
    if (/^hop[ \t]+\S/.test(lexer.text.slice(lexer.at, lexer.at + 40)) && !sent) return this.#ofHop(start);
    const range = () => lexer.since(start);
    const form = /^(lines|csv)[ \t]+\$/.exec(lexer.text.slice(lexer.at, lexer.at + 40))?.[1];
    if (form !== undefined) {
      lexer.takeWord();
      lexer.skipSpace();
    }
    if (lexer.text[lexer.at] === '$')
      return {
        type: 'source',
        form: 'path',
        path: this.#path(),
        sent,
        ...(form !== undefined && { as: form as DocumentForm }),
        range: range(),
      };
    const word = lexer.peekWord();
    const behind = word === undefined ? '' : lexer.text[lexer.at + word.length];
    if ((word === 'xml' && (behind === '/' || behind === '(')) || (word === 'html' && behind === '(')) {
      const selector = this.#selector(word);
      return { type: 'source', form: word as 'xml', selector, sent, range: range() };
    }
    const named = namedSources.find(name => name === word);
    if (named && behind !== '(') return this.#named(named, sent, start);
    const plain = sent ? undefined : plainSources.find(name => name === word);
    if (plain && behind !== '(') {
      lexer.takeWord();
      return { type: 'source', form: plain, sent, range: range() };
    }
    if (sent) lexer.fail("A path, a header or the body should follow 'sent'.");
    return undefined;
  }

  // hop :: hop number source
  #ofHop(start: number): ResponseSource {
    const lexer: Lexer = this.lexer;
    lexer.takeWord();
    const number = lexer.readNumber();
    const hop = number?.type === 'number' ? Number(number.value) : 0;
    if (!Number.isInteger(hop) || hop < 1)
      lexer.fail("'hop' is followed by a whole number from 1.", start, 'For example: hop 1 status = 302');
    const source = this.source();
    if (
      !source ||
      source.sent ||
      source.hop !== undefined ||
      source.form === 'hops' ||
      source.form === 'fault'
    )
      return lexer.fail(
        'What is asked of a redirect should follow.',
        lexer.at,
        'For example: hop 1 status, hop 1 header location, hop 1 url',
      );
    return { ...source, hop, range: lexer.since(start) };
  }

  #path() {
    const lexer: Lexer = this.lexer;
    try {
      const { path, end } = parsePath(lexer.text, lexer.at, lexer.place);
      lexer.at = end;
      return path;
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      // A path counts offsets of the fence; an error is told in those of the page.
      throw new SourceError(
        error.code,
        lexer.place(error.range.start, error.range.end),
        error.message,
        error.remedy,
      );
    }
  }

  // xml/… | xml("…") | html("…")
  #selector(word: string): Selector {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    lexer.takeWord();
    const isBare = lexer.text[lexer.at] === '/';
    let parts: readonly (string | Reference)[];
    if (isBare) parts = lexer.readBareXPath();
    else {
      lexer.take('(');
      parts = (lexer.readText({ holdsPatterns: true }) ?? lexer.fail(`${word}(…) takes a text.`)).parts;
      lexer.require(')', 'the selector');
    }
    const written = parts
      .map(part => (typeof part === 'string' ? part : `{${referenceText(part)}}`))
      .join('');
    return (
      selectorOf(parts, written) ??
      lexer.fail('This holds more references than a selector may, or characters that are none.', start)
    );
  }

  // named :: body | url | location | ( header | cookie | link ) ( token | text )    a / behind it begins a pattern
  #named(form: (typeof namedSources)[number], sent: boolean, start: number): ResponseSource {
    const lexer: Lexer = this.lexer;
    lexer.takeWord();
    if ('.['.includes(lexer.text[lexer.at] ?? ' ')) lexer.fail(`'${form}' is no object that has members.`);
    let argument: string | undefined;
    if (form === 'header' || form === 'cookie' || form === 'link') {
      argument = this.quotedName() ?? lexer.readToken();
      if (argument === undefined || argument === '')
        lexer.fail(`The name of a ${form} should follow '${form}'.`);
    }
    const pattern = lexer.readPattern();
    return {
      type: 'source',
      form,
      sent,
      ...(argument !== undefined && { argument }),
      ...(pattern && { pattern }),
      range: lexer.since(start),
    };
  }
}
