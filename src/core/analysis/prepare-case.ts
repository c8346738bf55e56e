import type { Check, StatementNode } from '../language/ast.ts';
import { type Finding, finding, findingOf, type SourceError } from '../model/finding.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { checkKind, planCheck } from '../steps/check/check.ts';
import { anyRequest } from '../steps/http/http.ts';
import { kindOfStep, operationKindOf } from '../steps/kinds.ts';
import { outOfPlace } from '../steps/out-of-place.ts';
import type { Repeat } from '../steps/repeat.ts';
import { isGrave } from '../steps/statement-kind.ts';
import type { PlannedStep, PrepareContext, WrittenStep } from '../steps/step.ts';
import type { CollectionCase } from './collection.ts';

/** What else making steps ready hangs on. */
export interface StepSurroundings {
  readonly secretNames: PrepareContext['secretNames'];
  readonly hasFile: PrepareContext['hasFile'];
  readonly refusesFile: PrepareContext['refusesFile'];
  readonly readFile: PrepareContext['readFile'];
  readonly holderOf: PrepareContext['holderOf'];
}

/** Makes the steps of a case ready, or says what keeps them from being carried out. */
export function prepareSteps(
  each: CollectionCase,
  { secretNames, hasFile, refusesFile, readFile, holderOf }: StepSurroundings,
): { steps: PlannedStep[]; findings: Finding[] } {
  const { source } = each.page.page;
  const effective = mergeLevels(each.levels);
  const findings: Finding[] = [];
  const add = (errors: readonly SourceError[], where = source) => {
    for (const error of errors) findings.push(findingOf(error, where));
  };
  const levelChecks = effective.checks.flatMap(({ check, level }) => {
    const errors = [...checkKind.errorsIn(check), ...outOfPlace(check, anyRequest)];
    add(errors, level.source);
    return errors.some(isGrave) ? [] : [planCheck(check, level.source, level.name)];
  });
  const { steps: written } = each.written;
  let above: PrepareContext['above'];
  const steps: PlannedStep[] = [];
  for (const [index, step] of written.entries()) {
    const kind = operationKindOf(step);
    const offers = kind?.offers(step);
    if (kind && offers) above = { offers, title: kind.title(step), faults: kind.faults };
    const checksBelow = kind ? checksOn(written, index) : [];
    const statementsBelow = kind ? statementsOn(written, index) : [];
    // Made for every step, so without copies.
    const known = {
      source,
      effective,
      secretNames,
      hasFile,
      refusesFile,
      readFile,
      above,
      checksBelow,
      statementsBelow,
      holderOf,
      levelChecks,
      add,
    };
    for (const ready of kindOfStep(step).prepare(step, known)) steps.push(ready);
    if (kind && checksBelow.length === 0 && !isCheckedByStep(written, index)) {
      const unchecked = kind.unchecked(step, effective);
      if (unchecked) {
        const { message, remedy } = unchecked;
        findings.push(finding('request-unchecked', { source, range: step.range }, message, remedy));
      }
    }
  }
  return { steps, findings };
}

/** The checks that look at what comes of an operation, which stands at a place among the steps of its case. */
function checksOn(steps: readonly WrittenStep[], place: number): (Check | Repeat)[] {
  const { repeat } = steps[place]!;
  const checks: (Check | Repeat)[] = repeat ? [repeat] : [];
  for (const step of lookingAt(steps, place)) if (isCheck(step)) checks.push(step as WrittenStep as Check);
  return checks;
}

/** All statements that may look at what comes of an operation. */
function statementsOn(steps: readonly WrittenStep[], place: number): StatementNode[] {
  const { repeat } = steps[place]!;
  const below = lookingAt(steps, place).filter(step => !operationKindOf(step));
  return [...(repeat ? [repeat] : []), ...below] as readonly WrittenStep[] as StatementNode[];
}

/** The steps that look at what comes of an operation: those below it, up to the next one that has an answer. */
function lookingAt(steps: readonly WrittenStep[], place: number): readonly WrittenStep[] {
  const next = steps.findIndex((step, at) => at > place && operationKindOf(step)?.offers(step) !== undefined);
  return steps.slice(place + 1, next < 0 ? undefined : next);
}

function isCheckedByStep(steps: readonly WrittenStep[], place: number): boolean {
  return lookingAt(steps, place).some(step => operationKindOf(step)?.checksAbove?.(step));
}

function isCheck({ type }: WrittenStep): boolean {
  return type === checkKind.type;
}
