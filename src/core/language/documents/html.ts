import { Missing, Plain, type Value } from '../../model/value.ts';
import { TimeLimitError, withinTime } from '../../text/time-limit.ts';
import { Match } from '../jsonpath/match.ts';
import type { HtmlDocument, HtmlElement, Library, Token } from './html-library.ts';
import { fillMarks, hasMark, type Selector } from './selector.ts';

export type { HtmlDocument };

let library: Library | undefined;

/** Loads what reads HTML. To be awaited before the first `readHtml`. */
export async function loadHtml(): Promise<void> {
  library ??= (await import('./html-library.ts')).library;
}

/** Why a text is no CSS selector. */
export class SelectorError extends Error {}

/** How long the search of a document may take, in milliseconds. */
const timeout = 2000;

/** Reads a page; what is wrong with its form is mended as browsers do. */
export function readHtml(text: string): HtmlDocument {
  return loaded().parse(text);
}

type Query = ReturnType<Library['compile']>;

/** The text of every element that a selector matches, white space as it is shown. Throws SelectorError. */
export function compileSelector(
  selector: Selector,
): (document: HtmlDocument, values: readonly Value[]) => readonly Match[] | Missing {
  const { select, text } = loaded();
  const queryFor = compileQuery(selector);
  return (document, values) => {
    const query = queryFor(values);
    if (query instanceof Missing) return query;
    try {
      return withinTime(timeout, `html("${selector.text}")`, () => select(query, document)).map(
        element => new ElementMatch(element, text(element)),
      );
    } catch (error) {
      if (!(error instanceof TimeLimitError)) throw error;
      return Missing.unreadable(error.message);
    }
  };
}

/** A selector without references is compiled once; one with them is read once, and compiled for every new value. */
function compileQuery({ marked, given }: Selector): (values: readonly Value[]) => Query | Missing {
  const { read, compile } = loaded();
  const tokens = orMistake(() => read(marked));
  if (given.length === 0) {
    const query = orMistake(() => compile(tokens));
    return () => query;
  }
  const sample = fillTokens(
    tokens,
    given.map(() => 1),
  );
  if (!(sample instanceof Missing)) orMistake(() => compile(sample));
  return values => {
    const filled = fillTokens(tokens, values);
    return filled instanceof Missing ? filled : compile(filled);
  };
}

function orMistake<Result>(make: () => Result): Result {
  try {
    return make();
  } catch (error) {
    throw new SelectorError((error as Error).message.replace(/\.$/, ''));
  }
}

/** Pseudo-classes whose argument is a number or a formula. */
const counting = /^(?:nth-|eq$|lt$|gt$)/;
/** What an empty value never matches (Selectors 4, 6.1 and 6.2). */
const emptyNever = ['start', 'end', 'any', 'element'];

/** Puts values in the place of marks. A value is never read as a part of the selector. */
function fillTokens(tokens: readonly (readonly Token[])[], values: readonly Value[]): Token[][] | Missing {
  const filled: Token[][] = [];
  for (const list of tokens) {
    const group: Token[] = [];
    for (const token of list) {
      const result = fillToken(token, values);
      if (result instanceof Missing) return result;
      group.push(result);
    }
    filled.push(group);
  }
  return filled;
}

function fillToken(token: Token, values: readonly Value[]): Token | Missing {
  const copy = { ...token } as { [member: string]: unknown };
  for (const member of ['name', 'value', 'namespace', 'data']) {
    const written = copy[member];
    if (Array.isArray(written)) copy[member] = fillTokens(written, values);
    else if (typeof written === 'string' && hasMark(written)) copy[member] = fillMarks(written, values);
    const result = copy[member];
    if (result instanceof Missing) return result;
    if (result === written) continue;
    if (member === 'data' && counting.test(String(copy.name)) && !/^-?\d+$/.test(String(result)))
      return Missing.unreadable(`'${result}' is no whole number, which :${copy.name}() takes`);
    if (member === 'value' && result === '' && emptyNever.includes(String(copy.action)))
      return Missing.unreadable('a value is empty that a part of an attribute is looked for by');
    if (member === 'value' && copy.action === 'element' && /\s/.test(String(result)))
      return Missing.unreadable(`'${result}' is no single word, so nothing can have it as a class`);
  }
  return copy as unknown as Token;
}

function loaded(): Library {
  if (!library) throw new TypeError('loadHtml() comes before the first look at HTML.');
  return library;
}

class ElementMatch extends Match {
  constructor(
    readonly element: HtmlElement,
    text: string,
  ) {
    super(new Plain(text));
  }

  /** As a selector that matches this element alone. */
  override get path(): string {
    return pathOfElement(this.element);
  }

  override get normalizedPath(): string {
    return this.path;
  }
}

function pathOfElement(element: HtmlElement): string {
  const { parent, name } = element;
  const siblings = (parent?.children ?? []).filter(
    (each): each is HtmlElement => 'name' in each && each.name === name,
  );
  const step = siblings.length > 1 ? `${name}:nth-of-type(${siblings.indexOf(element) + 1})` : name;
  return parent && 'name' in parent ? `${pathOfElement(parent as HtmlElement)} > ${step}` : step;
}
