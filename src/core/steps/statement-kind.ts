import { checkStatement } from '../language/analyse.ts';
import type { Expression, ResponseSource, StatementNode } from '../language/ast.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { packagesOf } from '../language/packages.ts';
import type { StatementSyntax } from '../language/parser.ts';
import { foreignReferencesIn } from '../language/templates/foreign-references.ts';
import { nodesOf, type Part, referencesIn, sourcesIn } from '../language/walk.ts';
import { codes, SourceError } from '../model/finding.ts';
import { type Place, placeOf } from '../model/place.ts';
import type { Source } from '../model/source.ts';
import { signedToken } from '../secrecy/secret-names.ts';
import { inWords } from '../text/words.ts';
import type { PlannedStep, PrepareContext, StatementKind, WrittenSecret } from './step.ts';

interface Described<Statement extends StatementNode> {
  readonly type: Statement['type'];
  readonly syntax?: StatementSyntax<Statement>;
  /** Expressions that may be patterns. */
  readonly patterns?: (statement: Statement) => readonly Expression[];
  /** What is wrong with it, besides what is wrong with its parts. */
  readonly check?: (statement: Statement, found: readonly SourceError[]) => SourceError[];
  readonly plan: (statement: Statement, place: Place, context: PrepareContext) => PlannedStep;
  readonly gives?: StatementKind<Statement>['gives'];
  readonly writtenSecrets?: (statement: Statement) => readonly WrittenSecret[];
}

/** A kind of statement, from what is its own: the rest all of them have in common. */
export function statementKind<Statement extends StatementNode>({
  type,
  syntax,
  patterns,
  check,
  plan,
  gives,
  writtenSecrets,
}: Described<Statement>): StatementKind<Statement> {
  const errorsIn = (statement: Statement) => {
    const found = checkStatement(statement, patterns?.(statement));
    return check ? [...found, ...check(statement, found)] : found;
  };
  return {
    type,
    ...(syntax && { syntax }),
    errorsIn,
    uses: (statement, _effective, use) => use(referencesIn(statement)),
    packages: (statement, _effective, needed) => void packagesOf(statement, needed),
    prepare(statement, context) {
      const errors = [
        ...errorsIn(statement),
        ...outOfPlace(statement, context),
        ...unusableFiles(statement, context),
      ];
      context.add(errors);
      if (errors.some(isGrave)) return [];
      return [plan(statement, placeOf(context.source, statement.range), context)];
    },
    ...(gives && { gives }),
    foreignReferences: foreignReferencesOf,
    writtenSecrets: statement => [...tokensIn(statement), ...(writtenSecrets?.(statement) ?? [])],
  };
}

export function isGrave({ code }: SourceError): boolean {
  return codes[code] === 'error';
}

/** Files whose bytes it asks for, and that cannot be read. */
function unusableFiles(statement: StatementNode, { hasFile, refusesFile }: PrepareContext): SourceError[] {
  if (!hasFile) return [];
  return nodesOf(statement).flatMap(node => {
    if (node.type !== 'file') return [];
    const refusal = hasFile(node.path)
      ? refusesFile?.(node.path)
      : `There is no file '${node.path}' in the collection.`;
    if (refusal === undefined) return [];
    return [
      new SourceError('file-missing', node.range, refusal, 'Its path is relative to the file that names it.'),
    ];
  });
}

/** It looks at an answer that nothing above it gives. */
function outOfPlace(statement: StatementNode, { above }: PrepareContext): SourceError[] {
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
  if (missing === undefined) return [];
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

const here = (start: number, end: number) => ({ start, end });

/** Of these sources the text is looked through; the others are words. */
function isDocument(node: Part): boolean {
  return node.type === 'source' && (node.form === 'path' || node.form === 'xml' || node.form === 'html');
}

/** References as other notations write them, in the texts and paths of a statement. */
export function foreignReferencesOf(statement: StatementNode, { text }: Source): SourceError[] {
  const errors: SourceError[] = [];
  for (const node of nodesOf(statement)) {
    const { type, range } = node;
    const around = type === 'text' ? 'payload' : type === 'pattern' || isDocument(node) ? 'path' : undefined;
    if (around === undefined) continue;
    errors.push(...foreignReferencesIn(text, around, here, range));
  }
  return errors;
}

/** Tokens that are written out in a statement. */
export function tokensIn(statement: StatementNode): WrittenSecret[] {
  return nodesOf(statement).flatMap(node =>
    node.type === 'text' && node.parts.some(part => typeof part === 'string' && signedToken.test(part))
      ? [{ range: node.range, what: 'this token' }]
      : [],
  );
}

/** Made ready when it is first asked for: of a large collection that is only looked at, most never is. */
export function once<Result>(
  make: () => (context: EvaluationContext) => Result,
): (context: EvaluationContext) => Result {
  let made: ((context: EvaluationContext) => Result) | undefined;
  return context => {
    made ??= make();
    return made(context);
  };
}
