import { type Found, kindInWords, kindOf, Missing, Plain, type Value } from '../model/value.ts';
import type { AnswerView } from './answer-view.ts';
import type { namedSources, Reference, ResponseSource } from './ast.ts';
import { compileGiven, compilePath } from './compile-given.ts';
import { compilePatternLiteral } from './compile-pattern.ts';
import { compileReference, type Evaluate } from './compile-reference.ts';
import { compileSelector } from './documents/html.ts';
import { compileXPath } from './documents/xpath.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { isSingular, singularBeginning } from './jsonpath/ast.ts';
import { Match } from './jsonpath/match.ts';
import { compileSingular } from './jsonpath/singular.ts';
import type { Pattern } from './patterns.ts';

/** Values of a response or of the request as it was sent; nothing of them is a Missing that says why. */
type Texts = (view: AnswerView) => readonly string[] | Missing;

/** Why a response is not there to be looked at. */
function noResponse({ fault }: EvaluationContext): Missing {
  return fault === undefined ? noRequest() : Missing.unreadable(`no response came: ${fault}`);
}

function noRequest(): Missing {
  return Missing.unreadable('no request was sent yet');
}

export function compileSource(node: ResponseSource): Evaluate {
  if (node.form === 'fault')
    return context => context.fault ?? (context.response ? 'none' : noResponse(context));
  const of = compileView(node);
  return context => {
    const view = viewFor(node, context);
    return view instanceof Missing ? view : of(view, context);
  };
}

/** What a source looks at: the response, that of a redirect on the way, or the request as it was sent. */
function viewFor({ sent, hop }: ResponseSource, context: EvaluationContext): AnswerView | Missing {
  if (sent) return context.sent ?? noRequest();
  const { response } = context;
  if (!response) return noResponse(context);
  return hop === undefined ? response : response.hop(hop);
}

function compileView(node: ResponseSource): (view: AnswerView, context: EvaluationContext) => Found {
  switch (node.form) {
    case 'path': {
      const { segments, text, given } = node.path;
      if (!isSingular(segments)) throw new TypeError(`${text} needs a quantifier.`);
      const walk = compileSingular(segments);
      const fill = compileGiven(given);
      const { as } = node;
      return (view, context) => {
        const values = fill(context);
        if (values instanceof Missing) return values;
        const document = view.documentAs(as);
        return document instanceof Missing ? document : walk(document, values);
      };
    }
    case 'status':
    case 'reason':
    case 'version':
    case 'time':
    case 'size':
    case 'hops':
    case 'exit':
    case 'changed': {
      const { form } = node;
      return view => view.word(form);
    }
    case 'bytes':
      return view => view.bytes;
    case 'body':
    case 'url':
    case 'location':
    case 'header':
    case 'cookie':
    case 'link':
    case 'output':
    case 'errors':
      return compileNamed(node);
    case 'xml':
    case 'html':
      return compileOne(node);
    default:
      throw new TypeError(`${node.form} is looked at by compileSource() itself.`);
  }
}

type Selected = Extract<ResponseSource, { form: 'xml' | 'html' }>;

/** How many an XPath or a selector matches is known only from the document. */
function compileOne(node: Selected): (view: AnswerView, context: EvaluationContext) => Found {
  const select = compileSelected(node);
  const written = writtenSource(node);
  return (view, context) => {
    const found = select(view, context);
    if (found instanceof Missing) return found;
    if (found.length === 1) return found[0]!.value;
    return found.length === 0
      ? new Missing(`${written} matches nothing`)
      : Missing.unreadable(`${written} matches ${found.length}; ${leadingWords}`);
  };
}

function compileSelected(
  node: Selected,
): (view: AnswerView, context: EvaluationContext) => readonly Match[] | Missing {
  const fill = compileGiven(node.selector.given);
  if (node.form === 'xml') {
    const select = compileXPath(node.selector);
    return ({ xml }, context) => {
      const values = fill(context);
      if (values instanceof Missing) return values;
      return xml instanceof Missing ? xml : select(xml, values, context.namespaces ?? none);
    };
  }
  const select = compileSelector(node.selector);
  return ({ html }, context) => {
    const values = fill(context);
    if (values instanceof Missing) return values;
    return html instanceof Missing ? html : select(html, values);
  };
}

const none: ReadonlyMap<string, string> = new Map();
const leadingWords = 'lead it by each, some, no, count, first, last, nth N, random or all';

type Named = Extract<ResponseSource, { form: (typeof namedSources)[number] }>;

/** Texts; the others are characters of no kind of their own. */
const wholeTexts: ReadonlySet<string> = new Set(['body', 'url', 'location', 'output', 'errors']);

function compileNamed(node: Named): (view: AnswerView, context: EvaluationContext) => Found {
  const texts = compileTexts(node);
  const written = writtenSource(node);
  if (!node.pattern) {
    const isText = wholeTexts.has(node.form);
    return view => {
      const found = texts(view);
      if (found instanceof Missing) return found;
      if (found.length > 1 && !view.joins(node.form, node.argument ?? ''))
        return Missing.unreadable(`there are ${found.length} of ${written}; ${leadingWords}`);
      const text = found.length === 1 ? found[0]! : found.join(', ');
      return isText ? text : new Plain(text);
    };
  }
  const pattern = compilePatternLiteral(node.pattern);
  return (view, context) => {
    const found = texts(view);
    const compiled = pattern(context);
    if (found instanceof Missing) return found;
    if (compiled instanceof Missing) return compiled;
    for (const text of found) {
      const matches = compiled.matches(text, 1);
      if (matches instanceof Missing) return matches;
      if (matches.length > 0) return new Plain(matches[0]!);
    }
    return new Missing(`nothing in ${written} matches the pattern`);
  };
}

/** A source as a message names it. */
export function writtenSource(node: ResponseSource): string {
  if (node.hop !== undefined) return `hop ${node.hop} ${writtenSource(withoutHop(node))}`;
  if (node.form === 'path') return node.as === undefined ? node.path.text : `${node.as} ${node.path.text}`;
  if (node.form === 'xml' || node.form === 'html') {
    const { text } = node.selector;
    const bare = node.form === 'xml' && /^\/\S*$/.test(text);
    return bare ? `xml${text}` : `${node.form}(${JSON.stringify(text)})`;
  }
  return 'argument' in node && node.argument !== undefined ? `${node.form} ${node.argument}` : node.form;
}

function withoutHop(node: ResponseSource): ResponseSource {
  const { hop: _hop, ...rest } = node;
  return rest as ResponseSource;
}

function compileTexts({ form, argument = '' }: Named): Texts {
  if (form !== 'body') return view => view.field(form, argument);
  return ({ body }) => (body instanceof Missing ? body : [body]);
}

/** What stands where a path goes one way only: before its first part that can match several values. */
export function compileBeginning(node: ResponseSource & { readonly form: 'path' }): Evaluate {
  return compileSource({ ...node, path: { ...node.path, segments: singularBeginning(node.path.segments) } });
}

/** Everything that a quantified source or reference ranges over, each item with its place where it has one. */
export function compileItems(
  node: ResponseSource | Reference,
): (context: EvaluationContext) => readonly Match[] | Missing {
  if (node.type === 'reference') {
    const evaluate = compileReference(node);
    return context => {
      const value = evaluate(context);
      return value instanceof Missing ? value : items(value, `{${[node.name, ...node.path].join('.')}}`);
    };
  }
  const of = compileViewItems(node);
  if (of)
    return context => {
      const view = viewFor(node, context);
      return view instanceof Missing ? view : of(view, context);
    };
  const evaluate = compileSource(node);
  return context => {
    const value = evaluate(context);
    return value instanceof Missing ? value : [new Match(value)];
  };
}

function compileViewItems(
  node: ResponseSource,
): ((view: AnswerView, context: EvaluationContext) => readonly Match[] | Missing) | undefined {
  switch (node.form) {
    case 'path': {
      const select = compilePath(node.path);
      const { as } = node;
      return (view, context) => {
        const document = view.documentAs(as);
        return document instanceof Missing ? document : select(document, context);
      };
    }
    case 'hops':
      return view => {
        const hops = view.word('hops');
        return hops instanceof Missing ? hops : items(hops, 'hops');
      };
    case 'xml':
    case 'html':
      return compileSelected(node);
    case 'body':
    case 'url':
    case 'location':
    case 'header':
    case 'cookie':
    case 'link':
    case 'output':
    case 'errors': {
      const texts = compileTexts(node);
      const pattern = node.pattern ? compilePatternLiteral(node.pattern) : () => undefined;
      return (view, context) => {
        const found = texts(view);
        const compiled = pattern(context);
        if (compiled instanceof Missing) return compiled;
        // What is not there is no item; what cannot be read could hold any.
        if (found instanceof Missing) return found.unreadable ? found : [];
        if (!compiled) return found.map(text => new Match(new Plain(text)));
        return matchesIn(found, compiled);
      };
    }
    default:
      return undefined;
  }
}

function matchesIn(texts: readonly string[], pattern: Pattern): Match[] | Missing {
  const all: Match[] = [];
  for (const text of texts) {
    const matches = pattern.matches(text);
    if (matches instanceof Missing) return matches;
    for (const each of matches) all.push(new Match(new Plain(each)));
  }
  return all;
}

function items(value: Value, what: string): Match[] | Missing {
  if (!Array.isArray(value)) return new Missing(`${what} is ${kindInWords(kindOf(value))}, no list`);
  return value.map((item, index) => new Match(item, undefined, index));
}
