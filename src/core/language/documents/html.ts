import { TooSlow, withinTime } from '../../text/time-limit.ts';
import { Missing, Plain } from '../../values/value.ts';
import { Match } from '../jsonpath/evaluate.ts';
import type { HtmlDocument, HtmlElement, Library } from './html-library.ts';

export type { HtmlDocument };

let library: Library | undefined;

/** Loads what reads HTML. To be awaited before the first `readHtml`. */
export async function loadHtml(): Promise<void> {
  library ??= (await import('./html-library.ts')).library;
}

/** Why a text is no CSS selector. */
export class SelectorMistake extends Error {}

/** How long the search of a document may take, in milliseconds. */
const patience = 2000;

/** Reads a page; what is wrong with its form is mended as browsers do. */
export function readHtml(text: string): HtmlDocument {
  return loaded().parse(text);
}

/** The text of every element that a selector matches, white space as it is shown. Throws SelectorMistake. */
export function compileSelector(selector: string): (document: HtmlDocument) => readonly Match[] | Missing {
  const { compile, select, text } = loaded();
  let query: ReturnType<Library['compile']>;
  try {
    query = compile(selector);
  } catch (error) {
    throw new SelectorMistake((error as Error).message.replace(/\.$/, ''));
  }
  return document => {
    try {
      return withinTime(patience, `html("${selector}")`, () => select(query, document)).map(
        element => new ElementMatch(element, text(element)),
      );
    } catch (error) {
      if (!(error instanceof TooSlow)) throw error;
      return new Missing(error.message, true);
    }
  };
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
