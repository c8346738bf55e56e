import { SourceError } from '../model/finding.ts';
import { checkComparison } from './analyse-comparison.ts';
import { checkArithmetic, checkCall } from './analyse-values.ts';
import type { Expression, PatternLiteral, ResponseSource, StatementNode } from './ast.ts';
import { compileSelector, SelectorError } from './documents/html.ts';
import type { Selector } from './documents/selector.ts';
import { compileXPath, XPathError } from './documents/xpath.ts';
import { functions } from './functions/table.ts';
import { isSingular } from './jsonpath/ast.ts';
import { compilePattern, PatternError } from './patterns.ts';
import { nodesOf, type Part } from './walk.ts';

/** What only a response has. */
const responseOnly = new Set(['location', 'link', 'output', 'errors']);

/**
 * What can be said about a statement, or an expression, without any other: what can never hold, and what is no path,
 * pattern or selector. The packages that it needs are loaded before.
 * @param home expressions of it that may be patterns, besides those that stand where a pattern is wanted
 */
export function checkStatement(
  statement: StatementNode | Expression,
  home: readonly Expression[] = [],
): SourceError[] {
  const errors: SourceError[] = [];
  const led = new Set<Expression>();
  const nodes = nodesOf(statement);
  const patterns = nodes.some(node => node.type === 'pattern') ? patternsAtHome(nodes, home) : undefined;
  for (const node of nodes) {
    switch (node.type) {
      case 'query':
        led.add(node.of);
        errors.push(...checkLed(node.of, node.pick));
        break;
      case 'comparison':
        if (node.quantifier) {
          led.add(node.subject);
          errors.push(...checkLed(node.subject, node.quantifier));
        }
        errors.push(...checkComparison(node));
        break;
      case 'source':
        errors.push(...checkSource(node, led.has(node)));
        break;
      case 'pattern':
        errors.push(...checkPattern(node, patterns!.has(node)));
        break;
      case 'arithmetic':
        errors.push(...checkArithmetic(node));
        break;
      case 'call':
        errors.push(...checkCall(node));
        break;
      default:
    }
  }
  return errors;
}

/** A path that matches one value at the most is led by a word for many: its items were meant. */
function checkLed(subject: Expression, word: string): SourceError[] {
  if (subject.type !== 'source' || subject.form !== 'path' || !isSingular(subject.path.segments)) return [];
  const { text } = subject.path;
  return [
    new SourceError(
      'one-value',
      subject.range,
      `${text} matches one value at the most, so '${word}' is about that value and not about what it holds.`,
      `For the items of a list write ${word} ${text}[*]`,
    ),
  ];
}

function checkSource(node: ResponseSource, isLed: boolean): SourceError[] {
  if (node.sent && responseOnly.has(node.form))
    return [
      new SourceError(
        'syntax',
        node.range,
        `A request has no ${node.form}.`,
        `Write ${node.form} for that of the response.`,
      ),
    ];
  if (node.form === 'xml' || node.form === 'html') return checkSelector(node, node.form, node.selector);
  if (node.form !== 'path' || isLed || isSingular(node.path.segments)) return [];
  const { text } = node.path;
  return [
    new SourceError(
      'many-values',
      node.range,
      `${text} can match several values.`,
      `Say which: each, some or no ${text} …, count, first, last, nth N, random or all ${text}.`,
    ),
  ];
}

function checkSelector({ range }: ResponseSource, form: 'xml' | 'html', selector: Selector): SourceError[] {
  try {
    if (form === 'xml') compileXPath(selector);
    else compileSelector(selector);
    return [];
  } catch (error) {
    if (!(error instanceof XPathError || error instanceof SelectorError)) throw error;
    const remedy =
      form === 'html'
        ? 'For example: html("main > h1")'
        : /^\/\S*$/.test(selector.text)
          ? 'An XPath with white space stands in a text: xml("//tide[@no = 1]/height")'
          : 'For example: xml//tide[1]/height';
    const what = form === 'xml' ? 'XPath' : 'CSS selector';
    return [new SourceError('selector-form', range, `This is no ${what}: ${error.message}.`, remedy)];
  }
}

/** The patterns of a statement that stand where a pattern is wanted. */
function patternsAtHome(nodes: readonly Part[], more: readonly Expression[]): Set<Expression> {
  const home = new Set<Expression>(more);
  for (const node of nodes) {
    if (node.type === 'comparison' && node.predicate.test === 'matches') home.add(node.predicate.value);
    else if (node.type === 'source' && 'pattern' in node && node.pattern) home.add(node.pattern);
    else if (node.type === 'call') {
      const { parameters } = functions[node.name]!;
      for (const [index, each] of node.arguments.entries())
        if (parameters[index] === 'pattern' || parameters[index] === 'part') home.add(each);
    }
  }
  return home;
}

function checkPattern(pattern: PatternLiteral, atHome: boolean): SourceError[] {
  const { parts, flags, range } = pattern;
  if (!atHome)
    return [
      new SourceError(
        'syntax',
        range,
        'A pattern is no value that could be compared.',
        "Write 'matches' and the pattern; a text stands in double quotes.",
      ),
    ];
  try {
    compilePattern(parts.map(part => (typeof part === 'string' ? part : 'x')).join(''), flags);
    return [];
  } catch (error) {
    if (!(error instanceof PatternError)) throw error;
    return [new SourceError('pattern-form', range, `This is no pattern: ${error.message}.`)];
  }
}
