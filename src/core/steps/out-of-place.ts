import type { Predicate, ResponseSource, StatementNode } from '../language/ast.ts';
import { nodesOf, sourcesIn } from '../language/walk.ts';
import { SourceError } from '../model/finding.ts';
import { faultWords, otherFaultWords } from '../model/http-messages.ts';
import type { Range } from '../model/source.ts';
import { inWords } from '../text/words.ts';

/** The operation above a statement, whose answer it looks at. */
export interface Above {
  /** In a line: `GET /berths`. */
  readonly title: string;
  /** Sources that there are, as the language names them. */
  readonly offers: readonly string[];
  /** What it may come to instead of an answer. */
  readonly faults: readonly string[];
}

/** It looks at an answer that nothing above it gives. */
export function outOfPlace(statement: StatementNode, above: Above | undefined): SourceError[] {
  const sources = sourcesIn(statement);
  if (sources.length === 0) return [];
  const { range } = statement;
  if (!above) {
    const other = sources.map(({ form }) => givenBelow.get(form)).find(each => each !== undefined);
    if (other)
      return [
        new SourceError(
          'no-response-yet',
          range,
          `No ${other.what} stands above this in its case, so there is nothing to look at.`,
          `It stands in a fence \`\`\`${other.fence}.`,
        ),
      ];
    return [
      new SourceError(
        'no-response-yet',
        range,
        'No request stands above this in its case, so there is no response to look at.',
        'A request stands in a fence ```http.',
      ),
    ];
  }
  const missing = sources.flatMap(wordsIn).find(word => !above.offers.includes(word));
  if (missing === undefined) return foreignFaults(statement, above);
  const message = `'${shown(missing)}' is nothing that ${above.title} gives.`;
  const given = above.offers.filter(word => !ways.has(word)).map(shown);
  return [new SourceError('no-response-yet', range, message, `It gives ${inWords(given)}.`)];
}

/** What only other operations than a request give. */
const givenBelow: ReadonlyMap<string, { readonly what: string; readonly fence: string }> = new Map([
  ...['exit', 'output', 'errors'].map(form => [form, { what: 'command', fence: 'sh step' }] as const),
  ['changed', { what: 'query', fence: 'sql step DATABASE' }],
]);

/** Ways to look at something, rather than what can be looked at. */
const ways: ReadonlySet<string> = new Set(['sent', 'lines', 'csv']);

/** Everything that a source asks of what stands above it. */
function wordsIn(source: ResponseSource): string[] {
  const { form, sent, hop } = source;
  return [
    form,
    ...(sent ? ['sent'] : []),
    ...(hop === undefined ? [] : ['hops']),
    ...(form === 'path' && source.as !== undefined ? [source.as] : []),
  ];
}

function shown(word: string): string {
  return word === 'path' ? '$' : word;
}

/** Faults of other operations: what stands above never comes to one of them. */
function foreignFaults(statement: StatementNode, { faults, title }: Above): SourceError[] {
  return nodesOf(statement).flatMap(node => {
    if (node.type !== 'comparison' || node.subject.type !== 'source' || node.subject.form !== 'fault')
      return [];
    return textsIn(node.predicate).flatMap(({ word, range }) =>
      word === 'none' || faults.includes(word) || !isFaultWord(word)
        ? []
        : [
            new SourceError(
              'never-equal',
              range,
              `'${word}' is no fault of ${title}.`,
              `There are none, ${inWords(faults)}.`,
            ),
          ],
    );
  });
}

function textsIn(predicate: Predicate): { word: string; range: Range }[] {
  const values =
    predicate.test === 'compare' ? [predicate.value] : predicate.test === 'in' ? predicate.values : [];
  return values
    .flatMap(value => (value.type === 'list' ? value.items : [value]))
    .flatMap(value => {
      const [word] = value.type === 'text' && value.parts.length === 1 ? value.parts : [];
      return typeof word === 'string' ? [{ word, range: value.range }] : [];
    });
}

/** What is none at all is told of the comparison itself. */
function isFaultWord(word: string): boolean {
  return [...faultWords, ...otherFaultWords].some(each => each === word);
}
