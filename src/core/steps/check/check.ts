import type { Check, Condition, StatementNode } from '../../language/ast.ts';
import { compileCondition } from '../../language/compile-condition.ts';
import { compileExpression } from '../../language/compile-expression.ts';
import { findIdle } from '../../language/idle.ts';
import { parseStatements } from '../../language/parser.ts';
import { SourceError } from '../../model/finding.ts';
import { placeOf } from '../../model/place.ts';
import type { Excerpt, Source } from '../../model/source.ts';
import { once, statementKind } from '../statement-kind.ts';
import { type CheckDetails, CheckStep } from './check-step.ts';

export const checkKind = statementKind<Check>({
  type: 'check',
  check: (statement, found) => (found.length === 0 ? findIdle(statement) : []),
  plan: (statement, _place, { source }) => planCheck(statement, source),
});

/** @param level the settings that it stands in, where it is not the case's own */
export function planCheck(check: Check, source: Source, level?: string): CheckStep {
  const label = check.label && compileExpression(check.label);
  return planCondition(check, check.condition, source, { label, level });
}

/** The condition of a statement as a check. */
export function planCondition(
  { range, written }: StatementNode,
  condition: Condition,
  source: Source,
  details?: CheckDetails,
): CheckStep {
  const decide = once(() => compileCondition(condition));
  return new CheckStep(placeOf(source, range), { text: written, condition }, decide, details);
}

/**
 * Conditions one a line, as the `checks` of a settings level hold them.
 * @param others kinds of statements, which may not stand there
 */
export function readChecks(
  excerpt: Excerpt,
  others: Parameters<typeof parseStatements>[1],
): { checks: Check[]; errors: SourceError[] } {
  const { statements, errors } = parseStatements(excerpt, others);
  const checks: Check[] = [];
  for (const statement of statements as readonly StatementNode[]) {
    if (statement.type === 'check') checks.push(statement as Check);
    else
      errors.push(
        new SourceError(
          'syntax',
          statement.range,
          `Only conditions may stand among 'checks', not '${statement.type}'.`,
        ),
      );
  }
  return { checks, errors };
}
