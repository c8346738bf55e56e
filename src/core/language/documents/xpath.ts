import type { Attr, Document, Node } from 'slimdom';
import { Missing, Plain, type Value } from '../../model/value.ts';
import { TimeLimitError, withinTime } from '../../text/time-limit.ts';
import { asNumber } from '../../values/compare.ts';
import { textOf } from '../../values/text.ts';
import { loadXml, writeXml } from '../../values/xml.ts';
import { Match } from '../jsonpath/match.ts';
import { fillMarks, hasMark, type Selector, unfitFor, valueFor } from './selector.ts';

type Library = typeof import('fontoxpath');
type Evaluate = Library['evaluateXPath'];

let evaluate: Evaluate | undefined;

/** Loads what evaluates XPath. To be awaited before the first `compileXPath`. */
export async function loadXPath(): Promise<void> {
  await loadXml();
  const library = await import('fontoxpath');
  // As a module of its own the package has a default export alone.
  const own = 'evaluateXPath' in library ? library : (library as { default: Library }).default;
  evaluate ??= own.evaluateXPath;
}

/** Why a text is no XPath. */
export class XPathError extends Error {}

/** How long the search of a document may take, in milliseconds. */
const timeout = 2000;

/** Everything in a document that an expression selects, each with its place. `namespaces` gives prefixes their names. */
export type CompiledXPath = (
  document: Document,
  values: readonly Value[],
  namespaces: ReadonlyMap<string, string>,
) => readonly Match[] | Missing;

/**
 * Makes an XPath 1.0 ready. A name without a prefix matches in any namespace; references are bound as variables. Throws
 * XPathError.
 */
export function compileXPath({ text, marked }: Selector): CompiledXPath {
  const engine = evaluate;
  if (!engine) throw new TypeError('loadXPath() comes before compileXPath().');
  const { expression, variables } = withVariables(namesInAnyNamespace(marked));
  checkXPath(expression, variables, engine);
  return (document, values, namespaces) => {
    const bound = bindVariables(variables, values, document);
    if (bound instanceof Missing) return bound;
    const known = new Map([...prefixesOf(document), ...namespaces]);
    const namespaceResolver = (prefix: string) => known.get(prefix) ?? null;
    const select = () =>
      engine(expression, document, null, bound, engine.ALL_RESULTS_TYPE, { namespaceResolver }) as unknown[];
    try {
      return matchesOf(withinTime(timeout, `xml${text.startsWith('/') ? '' : ' '}${text}`, select));
    } catch (error) {
      if (error instanceof TimeLimitError) return Missing.unreadable(error.message);
      return Missing.unreadable(`the XPath cannot be evaluated: ${reasonOf(error as Error)}`);
    }
  };
}

/** What is wrong with an expression whatever the document shows on one that is almost empty. */
function checkXPath(expression: string, variables: readonly Variable[], engine: Evaluate): void {
  try {
    const bound = Object.fromEntries(variables.map(({ name }) => [name, '']));
    engine(expression, null, null, bound, engine.ALL_RESULTS_TYPE, { namespaceResolver: () => 'urn:any' });
  } catch (error) {
    const { message } = error as Error;
    if (/XPST\d+/.test(message)) throw new XPathError(reasonOf(error as Error));
  }
}

function reasonOf({ message }: Error): string {
  const known =
    /^(?:Error: )?(?:[\s\S]*?\n)?(?:Error: )?[A-Z]{4}\d{4}[:,] (.*)/m.exec(message)?.[1] ?? message;
  return known
    .replace(/^Failed to parse script\. Expected .*/, 'it does not read as an expression')
    .replace('Q{http://www.w3.org/2005/xpath-functions}', '')
    .replace(/ with arity of (\d+) not registered.*/, '() with $1 arguments is not known')
    .replace(/\.$/, '');
}

/** A reference of the page, or a text in quotes that holds some. */
interface Variable {
  readonly name: string;
  /** The mark, or the text with its marks. */
  readonly marked: string;
  readonly form: 'text' | 'value' | 'ordered' | 'position';
}

const quotedOrMark = /"(?:[^"]|"")*"|'(?:[^']|'')*'|[\uFDD0-\uFDEF]/g;

/** Puts variables in the place of references. Throws XPathError where no value can stand. */
function withVariables(expression: string): { expression: string; variables: Variable[] } {
  const variables: Variable[] = [];
  const filled = expression.replace(quotedOrMark, (found: string, at: number) => {
    if (!hasMark(found)) return found;
    const isMark = found.length === 1;
    const [before, behind] = [expression.slice(0, at).trimEnd(), expression.slice(at + 1).trimStart()];
    if (
      isMark &&
      /(?:[/@:.]|[\p{L}\p{N}_-])$/u.test(before) &&
      !/(?:^|[^\p{L}\p{N}_./@:-])(?:and|or|div|mod|eq|ne|lt|le|gt|ge|to|in|return|satisfies|then|else)$/u.test(
        before,
      )
    )
      throw new XPathError('a reference stands for a value, not for a name or a part of one');
    const name = `mervok${variables.length}`;
    const marked = isMark ? found : found.slice(1, -1).replaceAll(found[0]!.repeat(2), found[0]!);
    variables.push({ name, marked, form: isMark ? formBetween(before, behind) : 'text' });
    return `$${name}`;
  });
  return { expression: filled, variables };
}

function formBetween(before: string, behind: string): Variable['form'] {
  if (before.endsWith('[') && behind.startsWith(']')) return 'position';
  return /(?:^|[^<>])[<>]=?$/.test(before) || /^[<>](?![<>])/.test(behind) ? 'ordered' : 'value';
}

function bindVariables(
  variables: readonly Variable[],
  values: readonly Value[],
  document: Document,
): { [name: string]: unknown } | Missing {
  const bound: { [name: string]: unknown } = {};
  for (const { name, marked, form } of variables) {
    const value =
      form === 'text' ? fillMarks(marked, values) : bind(valueFor(marked, values), form, document);
    if (value instanceof Missing) return value;
    bound[name] = value;
  }
  return bound;
}

/** A number with more digits than the engine keeps is compared by its characters. */
function bind(value: Value, form: Exclude<Variable['form'], 'text'>, document: Document): unknown {
  if (typeof value === 'number' || typeof value === 'boolean') return value;
  const text = textOf(value);
  if (text === undefined) return unfitFor(value);
  const number =
    form === 'position' || (form === 'ordered' && value instanceof Plain) ? asNumber(value) : undefined;
  // Before and behind are numbers where they can be: as texts '10' comes before '7'.
  if (typeof number === 'number') return number;
  if (form === 'position') return Missing.unreadable(`'${text}' is no position`);
  // What has no kind of its own is bound as what has none in an XPath either: the text of a node.
  return value instanceof Plain ? document.createTextNode(text) : text;
}

const axisOrFunction = /\s*(?:\(|::)/y;
const token =
  /\s+|"[^"]*"|'[^']*'|\d+(?:\.\d*)?|\.\d+|\$[^\s,)\]]+|\.\.|::|\/\/|[!<>]=|[\p{L}_][\p{L}\p{N}\p{M}._·-]*(?::(?!:)(?:\*|[\p{L}_][\p{L}\p{N}\p{M}._·-]*))?|[\s\S]/uy;

/**
 * Writes `*:name` for every name of an element without a prefix. XPath 1.0, 3.7, tells names from operators by what
 * stands before them.
 */
export function namesInAnyNamespace(expression: string): string {
  let result = '';
  let before = '';
  token.lastIndex = 0;
  for (let at = 0; at < expression.length; ) {
    token.lastIndex = at;
    const text = token.exec(expression)![0];
    at += text.length;
    if (text.trim() === '') {
      result += text;
      continue;
    }
    axisOrFunction.lastIndex = at;
    const isName = /^[\p{L}_]/u.test(text);
    const isOperator = isName && endsOperand(before);
    const isElement = isName && !isOperator && !text.includes(':') && !axisOrFunction.test(expression);
    result += isElement && before !== '@' && before !== 'attribute::' ? `*:${text}` : text;
    before = isOperator ? 'operator' : text === '::' ? `${before}::` : text;
  }
  return result;
}

/** Whether an operator must come next: what stands before is no operator, and opens nothing. */
function endsOperand(before: string): boolean {
  return before !== '' && before !== 'operator' && !/^(?:@|.*::|[([,/|+=<>!-]|\/\/|[!<>]=)$/.test(before);
}

/** The prefixes that a document declares, anywhere; of one with several names the first counts. */
function prefixesOf(document: Document): Map<string, string> {
  const known = prefixes.get(document);
  if (known) return known;
  const found = new Map<string, string>();
  for (const element of document.getElementsByTagName('*'))
    for (const { prefix, localName, value } of element.attributes)
      if (prefix === 'xmlns' && !found.has(localName)) found.set(localName, value);
  prefixes.set(document, found);
  return found;
}

const prefixes = new WeakMap<Document, Map<string, string>>();

/** A node as a value that stands at a place; anything else as it is. */
function matchesOf(selected: readonly unknown[]): Match[] | Missing {
  const matches: Match[] = [];
  for (const each of selected) {
    if (typeof each === 'object' && each !== null && 'nodeType' in each)
      matches.push(new NodeMatch(each as Node));
    else if (typeof each === 'number' && !Number.isFinite(each))
      return Missing.unreadable('the XPath gives what is no number');
    else matches.push(new Match(typeof each === 'string' ? new Plain(each) : (each as Value)));
  }
  return matches;
}

class NodeMatch extends Match {
  constructor(readonly node: Node) {
    super(new Plain(textOfNode(node)));
  }

  override get path(): string {
    return pathOfNode(this.node);
  }

  override get normalizedPath(): string {
    return this.path;
  }

  override get surroundings(): string {
    const around = this.node.nodeType === 2 ? (this.node as Attr).ownerElement : this.node.parentNode;
    return writeXml(around && around.nodeType === 1 ? around : this.node);
  }
}

function textOfNode(node: Node): string {
  return node.nodeType === 9
    ? ((node as Document).documentElement?.textContent ?? '')
    : (node.textContent ?? '');
}

/** `/tides/tide[2]/@no`: with a number where several have the name. */
function pathOfNode(node: Node): string {
  if (node.nodeType === 9) return '/';
  if (node.nodeType === 2) {
    const { ownerElement, name } = node as Attr;
    return `${ownerElement ? pathOfNode(ownerElement) : ''}/@${name}`;
  }
  const { parentNode } = node;
  const step = node.nodeType === 1 ? node.nodeName : node.nodeType === 3 ? 'text()' : 'node()';
  const alike = (parentNode?.childNodes ?? []).filter(each => each.nodeName === node.nodeName);
  const position = alike.length > 1 ? `[${alike.indexOf(node as never) + 1}]` : '';
  return `${parentNode && parentNode.nodeType !== 9 ? pathOfNode(parentNode) : ''}/${step}${position}`;
}
