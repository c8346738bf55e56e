import { checkStatement } from '../language/analyse.ts';
import type { StatementNode } from '../language/ast.ts';
import { parseStatements, type StatementSyntax } from '../language/parser.ts';
import type { SourceError } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import { readChecks as readConditions } from '../steps/check/check.ts';
import { type StatementStep, statementKinds } from '../steps/kinds.ts';
import type { Repeat } from '../steps/repeat.ts';
import { errorsInRepeat } from '../steps/repetition.ts';
import { type CaseStatement, caseSyntaxes } from './case-statements.ts';

/** How every statement but a condition is written. */
const syntaxes: readonly StatementSyntax[] = [
  ...statementKinds.flatMap(({ syntax }) => syntax ?? []),
  ...(caseSyntaxes as readonly StatementSyntax[]),
];

/** A statement of a fence, of whatever kind. */
export type Statement = StatementStep | CaseStatement;

/** Reads the statements of a fence `mervok`. */
export function readStatements(excerpt: Excerpt): { statements: Statement[]; errors: SourceError[] } {
  const { statements, errors } = parseStatements<StatementSyntax>(excerpt, syntaxes);
  return { statements: statements as StatementNode[] as Statement[], errors };
}

/** Reads the conditions of `checks` in the settings. */
export function readChecks(excerpt: Excerpt) {
  return readConditions(excerpt, syntaxes);
}

/** What can be said of a statement without any other. The packages that it needs are loaded before. */
export function errorsInStatement(statement: StatementNode): SourceError[] {
  if (isRepeat(statement)) return errorsInRepeat(statement);
  const kind = statementKinds.find(({ type }) => type === statement.type);
  return kind ? kind.errorsIn(statement) : checkStatement(statement);
}

function isRepeat(statement: StatementNode): statement is Repeat {
  return statement.type === 'repeat';
}
