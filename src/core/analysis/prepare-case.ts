import { checkStatement } from '../language/analyse.ts';
import type { Check, Condition, Repeat, StatementNode } from '../language/ast.ts';
import { compileCondition } from '../language/compile-condition.ts';
import { compileExpression } from '../language/compile-expression.ts';
import type { Evaluate } from '../language/compile-reference.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { revealing, sourcesIn } from '../language/walk.ts';
import { codes, type Finding, finding, SourceError } from '../model/finding.ts';
import { placeOf } from '../model/place.ts';
import type { Source } from '../model/source.ts';
import { Missing } from '../model/value.ts';
import type { PageStep, RequestStep, StepStatement } from '../pages/page.ts';
import { type Effective, mergeLevels } from '../settings/merge.ts';
import { filesOfBody } from '../steps/http/prepare-body.ts';
import { prepareRequest } from '../steps/http/prepare-request.ts';
import type { CollectionCase } from './collection.ts';
import { needsResponse } from './names.ts';
import type { CheckStep, HttpStep, PlannedStep, Repetition } from './plan.ts';

export interface Surroundings {
  readonly secretNames: ReadonlySet<string>;
  /** Whether there is a file that a request sends; by its path from the root of the collection. */
  readonly hasFile?: (path: string) => boolean;
  /** Why one that is there must not be sent. */
  readonly refusesFile?: (path: string) => string | undefined;
}

/** Makes the steps of a case ready, or says what keeps them from being carried out. */
export function prepareSteps(
  each: CollectionCase,
  surroundings: Surroundings,
): { steps: PlannedStep[]; findings: Finding[] } {
  const source = each.page.page.source;
  const effective = mergeLevels(each.levels);
  const findings: Finding[] = [];
  const steps: PlannedStep[] = [];
  const add = (errors: readonly SourceError[], where = source) => {
    for (const error of errors)
      findings.push(finding(error.code, where, error.range, error.message, error.remedy));
  };
  const levelChecks = effective.checks.flatMap(({ check, level }) => {
    const errors = checkStatement(check);
    add(errors, level.source);
    return errors.some(isError) ? [] : [prepareCheck(check, level.source, level.name)];
  });
  let requests = 0;
  const { steps: written } = each.written;
  for (const [index, step] of written.entries()) {
    if (step.kind === 'request') {
      requests++;
      try {
        const sending = prepareRequest(step, effective, source, surroundings.secretNames, error =>
          add([error]),
        );
        add(unusableFiles(step, sending, surroundings));
        const repeat = step.repeat && prepareRepeat(step.repeat, source, add);
        steps.push(
          {
            ...sending,
            expectsFault: expectsFault(step, written, index),
            ...(repeat && { repeat }),
          },
          ...levelChecks,
        );
      } catch (error) {
        if (!(error instanceof SourceError)) throw error;
        add([error]);
      }
      continue;
    }
    for (const statement of step.statements) {
      const errors = checkStatement(statement);
      if (requests === 0 && needsResponse(statement)) {
        errors.push(
          new SourceError(
            'no-response-yet',
            statement.range,
            'No request stands above this in its case, so there is no response to look at.',
          ),
        );
      }
      add(errors);
      if (!errors.some(isError)) steps.push(prepareStatement(statement, source));
    }
  }
  return { steps, findings: [...findings, ...unchecked(each, effective)] };
}

function isError({ code }: SourceError): boolean {
  return codes[code] === 'error';
}

function prepareCheck(check: Check, source: Source, level?: string): CheckStep {
  return {
    ...prepareCondition(check, check.condition, source),
    ...(check.label && { label: compileExpression(check.label) }),
    ...(level !== undefined && { level }),
  };
}

/** Made ready when it is first asked for: of a large collection that is only looked at, most never is. */
function once<Result>(
  make: () => (context: EvaluationContext) => Result,
): (context: EvaluationContext) => Result {
  let made: ((context: EvaluationContext) => Result) | undefined;
  return context => {
    made ??= make();
    return made(context);
  };
}

function prepareCondition(
  { range, written }: StatementNode,
  condition: Condition,
  source: Source,
): CheckStep {
  return {
    kind: 'check',
    place: placeOf(source, range),
    text: written,
    condition,
    decide: once(() => compileCondition(condition)),
  };
}

function prepareRepeat(
  statement: Repeat,
  source: Source,
  add: (errors: readonly SourceError[]) => void,
): Repetition | undefined {
  const errors = checkStatement(statement);
  add(errors);
  if (errors.some(isError)) return undefined;
  return {
    every: compileExpression(statement.every),
    limit: compileExpression(statement.limit),
    until: prepareCondition(statement, statement.until, source),
  };
}

function prepareStatement(statement: StepStatement, source: Source): PlannedStep {
  const place = placeOf(source, statement.range);
  const text = statement.written;
  switch (statement.type) {
    case 'check':
      return prepareCheck(statement, source);
    case 'keep': {
      const evaluate = once(() =>
        withDefault(
          compileExpression(statement.value),
          statement.otherwise && compileExpression(statement.otherwise),
        ),
      );
      const reveals = [statement.value, ...(statement.otherwise ? [statement.otherwise] : [])]
        .flatMap(revealing)
        .map(reference => reference.name);
      return { kind: 'keep', place, text, name: statement.name, secret: statement.secret, evaluate, reveals };
    }
    case 'let':
      return {
        kind: 'let',
        place,
        text,
        name: statement.name,
        secret: false,
        evaluate: once(() => compileExpression(statement.value)),
        reveals: revealing(statement.value).map(reference => reference.name),
      };
    case 'wait':
      return { kind: 'wait', place, text, evaluate: compileExpression(statement.duration) };
    case 'skip':
      return { kind: 'skip', when: prepareCondition(statement, statement.when, source) };
    default:
      return statement satisfies never;
  }
}

function withDefault(evaluate: Evaluate, otherwise: Evaluate | undefined): Evaluate {
  if (!otherwise) return evaluate;
  return context => {
    const value = evaluate(context);
    return value instanceof Missing ? otherwise(context) : value;
  };
}

/** Whether a check that looks at the request at a place among the steps of its case speaks of `fault`. */
function expectsFault({ repeat }: RequestStep, steps: readonly PageStep[], place: number): boolean {
  if (repeat && speaksOfFault(repeat)) return true;
  for (let at = place + 1; at < steps.length; at++) {
    const step = steps[at]!;
    if (step.kind === 'request') return false;
    for (const statement of step.statements)
      if (statement.type === 'check' && speaksOfFault(statement)) return true;
  }
  return false;
}

function speaksOfFault(statement: Check | Repeat): boolean {
  return sourcesIn(statement).some(({ form }) => form === 'fault');
}

/** Files that a body names and that cannot be sent. */
function unusableFiles(
  { body: written }: RequestStep,
  { body }: Pick<HttpStep, 'body'>,
  { hasFile, refusesFile }: Surroundings,
): SourceError[] {
  if (!body || !hasFile) return [];
  return filesOfBody(body).flatMap(({ path, range }) => {
    const at = range ?? written!.excerpt.range(0, written!.excerpt.text.length);
    if (hasFile(path)) {
      const refusal = refusesFile?.(path);
      return refusal === undefined ? [] : [new SourceError('file-missing', at, refusal)];
    }
    const message = `There is no file '${path}' in the collection.`;
    return [new SourceError('file-missing', at, message, 'Its path is relative to the page.')];
  });
}

/** Requests after which nothing is checked. */
function unchecked({ written, page }: CollectionCase, { checks }: Effective): Finding[] {
  if (checks.length > 0) return [];
  const source = page.page.source;
  const findings: Finding[] = [];
  let open: RequestStep | undefined;
  const close = () => {
    if (open)
      findings.push(
        finding(
          'request-unchecked',
          source,
          open.range,
          'Nothing is checked after this request.',
          'Add at least: status = 200',
        ),
      );
    open = undefined;
  };
  for (const step of written.steps) {
    if (step.kind === 'request') {
      close();
      // What it is repeated for must hold.
      open = step.repeat ? undefined : step;
    } else if (step.statements.some(statement => statement.type === 'check')) open = undefined;
  }
  close();
  return findings;
}
