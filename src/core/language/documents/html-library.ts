import { compile, selectAll } from 'css-select';
import { parse, type Selector as Token } from 'css-what';
import type { AnyNode, Document, Element } from 'domhandler';
import { textContent } from 'domutils';
import { parseDocument } from 'htmlparser2';

export type { Token };
export type HtmlDocument = Document;
export type HtmlElement = Element;
export type CompiledQuery = ReturnType<typeof compile<AnyNode, Element>>;

/** What it takes to look into HTML, in one part that is loaded where a page asks for it. */
export const library = {
  parse: (text: string): Document => parseDocument(text),
  read: (selector: string): Token[][] => parse(selector),
  compile: (selector: Token[][]): CompiledQuery => compile<AnyNode, Element>(selector),
  select: (query: CompiledQuery, document: Document): Element[] =>
    selectAll<AnyNode, Element>(query, document),
  text: (element: Element): string => textContent(element).replace(/\s+/g, ' ').trim(),
};

export type Library = typeof library;
