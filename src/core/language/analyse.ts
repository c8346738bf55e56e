import { faultWords } from '../settings/transport.ts';
import { Mistake } from '../text/finding.ts';
import { didYouMean, inWords } from '../text/nearest.ts';
import type { Comparison, Expression, PatternLiteral, ResponseSource, Statement } from './ast.ts';
import { isSingular } from './jsonpath/ast.ts';
import { impossible } from './kinds.ts';
import { compilePattern } from './patterns.ts';
import { walk } from './walk.ts';

const sourcesToCome = new Set(['xml', 'html']);
/** What only a response has. */
const responseOnly = new Set(['location', 'link']);
const statementsToCome: { [type: string]: string } = {
  repeat: 'repeat … until',
  skip: 'skip when',
  'each-row': 'each row of',
  'each-value': 'each … as',
  cleanup: 'cleanup',
};

/** What can be said about a statement without any other: forms that are not there yet, and what can never hold. */
export function checkStatement(statement: Statement): Mistake[] {
  const mistakes: Mistake[] = [];
  const later = statementsToCome[statement.type];
  if (later !== undefined)
    mistakes.push(new Mistake('not-yet', statement.range, `The statement '${later}' is not there yet.`));
  const ledByWord = new Set<Expression>();
  for (const node of walk(statement)) {
    if (node.type === 'query') {
      ledByWord.add(node.of);
      if (node.pick === 'random')
        mistakes.push(new Mistake('not-yet', node.range, "The word 'random' is not there yet."));
    }
    if (node.type === 'comparison') {
      if (node.quantifier) ledByWord.add(node.subject);
      mistakes.push(...checkComparison(node));
    }
    if (node.type === 'source') mistakes.push(...checkSource(node, ledByWord.has(node)));
    if (node.type === 'pattern') mistakes.push(...checkPattern(node));
  }
  return mistakes;
}

function checkSource(node: ResponseSource, ledByWord: boolean): Mistake[] {
  const mistakes: Mistake[] = [];
  if (sourcesToCome.has(node.form))
    mistakes.push(new Mistake('not-yet', node.range, `The source '${node.form}' is not there yet.`));
  else if (node.sent && responseOnly.has(node.form))
    mistakes.push(
      new Mistake(
        'syntax',
        node.range,
        `A request has no ${node.form}.`,
        `Write ${node.form} for that of the response.`,
      ),
    );
  if (node.form === 'path' && !ledByWord && !isSingular(node.path.segments)) {
    const { text } = node.path;
    mistakes.push(
      new Mistake(
        'many-values',
        node.range,
        `${text} can match several values.`,
        `Say which: each, some or no ${text} …, count, first, last, nth N or all ${text}.`,
      ),
    );
  }
  return mistakes;
}

function checkPattern({ parts, flags, range }: PatternLiteral): Mistake[] {
  try {
    compilePattern(parts.map(part => (typeof part === 'string' ? part : 'x')).join(''), flags);
    return [];
  } catch (error) {
    const reason = (error as Error).message.replace(/^error parsing regexp: /, '');
    return [new Mistake('pattern-form', range, `This is no pattern: ${reason}.`)];
  }
}

/** A fault is one of a few words, so a mistyped one could never be met. */
function unknownFaults(subject: Expression, values: readonly Expression[]): Mistake[] {
  if (subject.type !== 'source' || subject.form !== 'fault') return [];
  const words = ['none', ...faultWords];
  return values.flatMap(value => {
    const [word] = value.type === 'text' ? value.parts : [];
    if (value.type !== 'text' || value.parts.length !== 1 || typeof word !== 'string' || words.includes(word))
      return [];
    return [
      new Mistake(
        'never-equal',
        value.range,
        `There is no fault '${word}'.`,
        didYouMean(word, words) ?? `There are ${inWords(words)}.`,
      ),
    ];
  });
}

function checkComparison({ subject, predicate, range }: Comparison): Mistake[] {
  const never = (found: ReturnType<typeof impossible>) =>
    found ? [new Mistake('never-equal', range, found.message, found.remedy)] : [];
  switch (predicate.test) {
    case 'compare':
      return [
        ...never(impossible(subject, predicate.value, predicate.operator)),
        ...unknownFaults(subject, [predicate.value]),
      ];
    case 'between':
      return [
        ...never(impossible(subject, predicate.low, '>=')),
        ...never(impossible(subject, predicate.high, '<=')),
      ];
    case 'in': {
      const [only] = predicate.values;
      const single = predicate.values.length === 1;
      const values = single && only!.type === 'list' ? only!.items : single ? [] : predicate.values;
      return [
        ...values.flatMap(value => never(impossible(subject, value, '='))),
        ...unknownFaults(subject, values),
      ];
    }
    case 'is': {
      const onStatus = subject.type === 'source' && subject.form === 'status';
      const statusClass = predicate.types.some(type => /xx$/.test(type));
      return statusClass && !onStatus
        ? [
            new Mistake(
              'never-equal',
              predicate.range,
              'A class such as 2xx is about the status alone.',
              'Write status is 2xx.',
            ),
          ]
        : [];
    }
    case 'includes':
    case 'fits':
      return [new Mistake('not-yet', predicate.range, `The word '${predicate.test}' is not there yet.`)];
    default:
      return [];
  }
}
