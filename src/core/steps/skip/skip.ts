import type { Condition, StatementNode } from '../../language/ast.ts';
import type { StatementSyntax } from '../../language/parser.ts';
import type { Place } from '../../model/place.ts';
import { planCondition } from '../check/check.ts';
import type { CheckStep } from '../check/check-step.ts';
import { statementKind } from '../statement-kind.ts';
import type { PlannedStep, StepRun } from '../step.ts';

export interface Skip extends StatementNode {
  readonly type: 'skip';
  readonly when: Condition;
}

// skip :: skip when condition
const skipSyntax: StatementSyntax<Skip> = {
  word: 'skip',
  parse(parser, start) {
    parser.requireWord('when', "'skip'");
    const when = parser.condition();
    return { type: 'skip', when, parts: [when], range: parser.lexer.since(start) };
  },
};

export const skipKind = statementKind<Skip>({
  type: 'skip',
  syntax: skipSyntax,
  plan: (statement, _place, { source }) => new SkipStep(planCondition(statement, statement.when, source)),
});

/** Ends a case as skipped. */
class SkipStep implements PlannedStep {
  readonly kind = 'skip';
  readonly checks = 0;
  readonly place: Place;

  constructor(readonly when: CheckStep) {
    this.place = when.place;
  }

  /** Where it cannot be decided, that is a failed check: neither way is right. */
  carryOut(run: StepRun): boolean {
    const truth = this.when.truth(run);
    if (truth === false) return true;
    if (truth === true) return run.skip(this.when.text);
    this.when.check(run);
    return false;
  }
}
