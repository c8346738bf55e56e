import { checkStatement } from '../language/analyse.ts';
import type { Expression, StatementNode } from '../language/ast.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { packagesOf } from '../language/packages.ts';
import type { StatementSyntax } from '../language/parser.ts';
import { foreignReferencesIn } from '../language/templates/foreign-references.ts';
import { nodesOf, type Part, referencesIn } from '../language/walk.ts';
import { codes, SourceError } from '../model/finding.ts';
import { type Place, placeOf } from '../model/place.ts';
import type { Source } from '../model/source.ts';
import { signedToken } from '../secrecy/secret-names.ts';
import { outOfPlace } from './out-of-place.ts';
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
        ...outOfPlace(statement, context.above),
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
