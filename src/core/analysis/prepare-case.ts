import type { Check } from '../language/ast.ts';
import { type Finding, finding, findingOf, type SourceError } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { checkKind, planCheck } from '../steps/check/check.ts';
import { kindOfStep, operationKindOf } from '../steps/kinds.ts';
import type { Repeat } from '../steps/repeat.ts';
import { isGrave } from '../steps/statement-kind.ts';
import type { PlannedStep, PrepareContext, WrittenStep } from '../steps/step.ts';
import type { CollectionCase } from './collection.ts';

/** What else making steps ready hangs on. */
export interface StepSurroundings {
  readonly secretNames: PrepareContext['secretNames'];
  readonly hasFile: PrepareContext['hasFile'];
  readonly refusesFile: PrepareContext['refusesFile'];
}

/** Makes the steps of a case ready, or says what keeps them from being carried out. */
export function prepareSteps(
  each: CollectionCase,
  { secretNames, hasFile, refusesFile }: StepSurroundings,
): { steps: PlannedStep[]; findings: Finding[] } {
  const { source } = each.page.page;
  const effective = mergeLevels(each.levels);
  const findings: Finding[] = [];
  const addAt = (errors: readonly SourceError[], where: Source) => {
    for (const error of errors) findings.push(findingOf(error, where));
  };
  const add = (errors: readonly SourceError[]) => addAt(errors, source);
  const levelChecks = effective.checks.flatMap(({ check, level }) => {
    const errors = checkKind.errorsIn(check);
    addAt(errors, level.source);
    return errors.some(isGrave) ? [] : [planCheck(check, level.source, level.name)];
  });
  const { steps: written } = each.written;
  let above: PrepareContext['above'];
  const steps: PlannedStep[] = [];
  for (const [index, step] of written.entries()) {
    const kind = operationKindOf(step);
    if (kind) above = { offers: kind.offers, title: kind.title(step) };
    const checksBelow = kind ? checksOn(written, index) : [];
    // Made for every step, so without copies.
    const known = {
      source,
      effective,
      secretNames,
      hasFile,
      refusesFile,
      above,
      checksBelow,
      levelChecks,
      add,
    };
    for (const ready of kindOfStep(step).prepare(step, known)) steps.push(ready);
    if (kind && checksBelow.length === 0 && effective.checks.length === 0) {
      const { message, remedy } = kind.unchecked;
      findings.push(finding('request-unchecked', { source, range: step.range }, message, remedy));
    }
  }
  return { steps, findings };
}

/** The checks that look at what comes of an operation, which stands at a place among the steps of its case. */
function checksOn(steps: readonly WrittenStep[], place: number): (Check | Repeat)[] {
  const { repeat } = steps[place]!;
  const checks: (Check | Repeat)[] = repeat ? [repeat] : [];
  for (let at = place + 1; at < steps.length && !operationKindOf(steps[at]!); at++)
    if (isCheck(steps[at]!)) checks.push(steps[at] as WrittenStep as Check);
  return checks;
}

function isCheck({ type }: WrittenStep): boolean {
  return type === checkKind.type;
}
