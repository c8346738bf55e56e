import { checkDuration } from '../../language/analyse-values.ts';
import type { Expression, StatementNode } from '../../language/ast.ts';
import { compileExpression } from '../../language/compile-expression.ts';
import type { Evaluate } from '../../language/compile-reference.ts';
import type { StatementSyntax } from '../../language/parser.ts';
import type { Place } from '../../model/place.ts';
import { Missing } from '../../model/value.ts';
import { asDuration } from '../durations.ts';
import { statementKind } from '../statement-kind.ts';
import type { PlannedStep, StepRun } from '../step.ts';

export interface Wait extends StatementNode {
  readonly type: 'wait';
  readonly duration: Expression;
}

// wait :: wait value
const waitSyntax: StatementSyntax<Wait> = {
  word: 'wait',
  parse(parser, start) {
    const duration = parser.value();
    return { type: 'wait', duration, parts: [duration], range: parser.lexer.since(start) };
  },
};

export const waitKind = statementKind<Wait>({
  type: 'wait',
  syntax: waitSyntax,
  check: ({ duration }) => checkDuration(duration),
  plan: ({ written, duration }, place) => new WaitStep(place, written, compileExpression(duration)),
});

class WaitStep implements PlannedStep {
  readonly kind = 'wait';
  readonly checks = 0;

  constructor(
    readonly place: Place,
    readonly text: string,
    readonly evaluate: Evaluate,
  ) {}

  async carryOut(run: StepRun): Promise<boolean> {
    const value = asDuration(this.evaluate(run.evaluation));
    if (value instanceof Missing) return run.stop(`${this.text}: ${value.reason}.`, this.place);
    await run.ports.sleep(value.milliseconds, run.signal);
    return true;
  }
}
