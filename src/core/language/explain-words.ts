import { Missing } from '../model/value.ts';
import { cut, describe, describeExactly } from '../values/describe.ts';
import type { Comparison, Expression, PatternLiteral, Predicate } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import { compilePartial } from './compile-partial.ts';
import { describePartial, typesInWords } from './difference.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { referenceText } from './reference.ts';

const operatorsInWords = {
  '=': '',
  '!=': 'anything but ',
  '<': 'less than ',
  '<=': 'at most ',
  '>': 'more than ',
  '>=': 'at least ',
};

/** Whether times and sizes are told in round figures. */
export type Precision = 'rounded' | 'exact';

/** What a comparison wants, as it stands behind 'expected'. */
export function expectedOf(
  { quantifier, predicate }: Comparison,
  context: EvaluationContext,
  precision: Precision = 'rounded',
): string {
  const what = predicateInWords(predicate, context, precision);
  return quantifier === undefined ? what : `${quantifier}: ${what}`;
}

function predicateInWords(predicate: Predicate, context: EvaluationContext, precision: Precision): string {
  const not = predicate.negated ? 'not ' : '';
  const show = (node: Expression) =>
    node.type === 'pattern' ? writtenPattern(node) : showValue(node, context, precision);
  switch (predicate.test) {
    case 'compare':
      return (
        operatorsInWords[predicate.operator] +
        show(predicate.value) +
        (predicate.anyOrder ? ' in any order' : '')
      );
    case 'between':
      return `${not}between ${show(predicate.low)} and ${show(predicate.high)}`;
    case 'in':
      return `${not}one of ${predicate.values.map(show).join(', ')}`;
    case 'contains':
      return `${predicate.negated ? 'something that does not contain' : 'something that contains'} ${show(predicate.value)}`;
    case 'starts':
    case 'ends':
      return `a text that ${predicate.negated ? `does not ${predicate.test.slice(0, -1)}` : predicate.test} with ${show(predicate.value)}`;
    case 'matches':
      return `a text that ${predicate.negated ? 'does not match' : 'matches'} ${show(predicate.value)}`;
    case 'is':
      return `${not}${typesInWords(predicate.types)}`;
    case 'includes':
      return `something that ${predicate.negated ? 'does not include' : 'includes'} ${showPart(predicate.value, context)}`;
    case 'fits':
      return `something that ${predicate.negated ? 'does not fit' : 'fits'} ${predicate.schema}`;
    case 'exists':
      return predicate.negated ? 'nothing there' : 'something there';
    case 'sorted-down':
      return `${not}sorted, the largest first`;
    default:
      return not + predicate.test;
  }
}

function showValue(node: Expression, context: EvaluationContext, precision: Precision): string {
  const value = compileExpression(node)(context);
  return value instanceof Missing
    ? `something that is not there (${value.reason})`
    : precision === 'exact'
      ? describeExactly(value)
      : describe(value);
}

function showPart(node: Expression, context: EvaluationContext): string {
  const part = compilePartial(node)(context);
  return part instanceof Missing
    ? `something that is not there (${part.reason})`
    : cut(describePartial(part));
}

function writtenPattern({ parts, flags }: PatternLiteral): string {
  const written = parts.map(part =>
    typeof part === 'string' ? part.replaceAll('/', '\\/') : `{${referenceText(part)}}`,
  );
  return `/${written.join('')}/${flags}`;
}
