import { checkStatement } from '../language/analyse.ts';
import { checkDuration } from '../language/analyse-values.ts';
import { compileExpression } from '../language/compile-expression.ts';
import type { Evaluate } from '../language/compile-reference.ts';
import { TemplateError } from '../language/templates/render.ts';
import { Missing } from '../model/value.ts';
import { planCondition } from './check/check.ts';
import type { CheckStep } from './check/check-step.ts';
import { asDuration } from './durations.ts';
import type { Repeat } from './repeat.ts';
import { isGrave } from './statement-kind.ts';
import type { PrepareContext, StepRun } from './step.ts';

/** When an operation is carried out again, made ready. */
export class Repetition {
  constructor(
    readonly until: CheckStep,
    readonly every: Evaluate,
    readonly limit: Evaluate,
  ) {}

  /** In milliseconds. Throws TemplateError. */
  times({ evaluation }: StepRun): { readonly every: number; readonly limit: number } {
    const read = (evaluate: Evaluate) => {
      const value = asDuration(evaluate(evaluation));
      if (value instanceof Missing) throw new TemplateError(`${this.until.text}: ${value.reason}.`);
      return value.milliseconds;
    };
    return { every: read(this.every), limit: read(this.limit) };
  }
}

export function errorsInRepeat(statement: Repeat) {
  return [...checkStatement(statement), ...checkDuration(statement.every), ...checkDuration(statement.limit)];
}

export function planRepeat(statement: Repeat, { source, add }: PrepareContext): Repetition | undefined {
  const errors = errorsInRepeat(statement);
  add(errors);
  if (errors.some(isGrave)) return undefined;
  return new Repetition(
    planCondition(statement, statement.until, source),
    compileExpression(statement.every),
    compileExpression(statement.limit),
  );
}
