import { checkStatement } from '../language/analyse.ts';
import type { Check, Statement } from '../language/ast.ts';
import { compileCondition } from '../language/compile-condition.ts';
import { compileExpression, type Evaluate } from '../language/compile-expression.ts';
import { revealing } from '../language/walk.ts';
import type { RequestStep } from '../page/page.ts';
import { type Effective, mergeLevels } from '../settings/merge.ts';
import { render } from '../template/render.ts';
import { renderTarget } from '../template/target.ts';
import { type BodyForm, parseBody, parseTemplateText, type Template } from '../template/template.ts';
import { type Finding, finding, Mistake } from '../text/finding.ts';
import type { Range, Source } from '../text/source.ts';
import { Missing } from '../values/value.ts';
import type { CollectionCase } from './collection.ts';
import { needsResponse } from './names.ts';
import type { Checking, Place, PlannedStep, Sending } from './plan.ts';

/** Makes the steps of a case ready, or says what keeps them from being carried out. */
export function prepareSteps(each: CollectionCase): { steps: PlannedStep[]; findings: Finding[] } {
  const source = each.page.page.source;
  const effective = mergeLevels(each.levels);
  const findings: Finding[] = [];
  const steps: PlannedStep[] = [];
  const add = (mistakes: readonly Mistake[], where = source) => {
    for (const mistake of mistakes)
      findings.push(finding(mistake.code, where, mistake.range, mistake.message, mistake.remedy));
  };
  const levelChecks = effective.checks.flatMap(({ check, level }) => {
    const mistakes = checkStatement(check);
    add(mistakes, level.source);
    return mistakes.length > 0 ? [] : [prepareCheck(check, level.source, level.name)];
  });
  let requests = 0;
  for (const step of each.written.steps) {
    if (step.kind === 'request') {
      requests++;
      try {
        steps.push(prepareRequest(step, effective, source), ...levelChecks);
      } catch (error) {
        if (!(error instanceof Mistake)) throw error;
        add([error]);
      }
      continue;
    }
    for (const statement of step.statements) {
      const mistakes = checkStatement(statement);
      if (requests === 0 && needsResponse(statement)) {
        mistakes.push(
          new Mistake(
            'no-response-yet',
            statement.range,
            'No request stands above this in its case, so there is no response to look at.',
          ),
        );
      }
      add(mistakes);
      if (mistakes.length === 0) steps.push(...prepareStatement(statement, source));
    }
  }
  return { steps, findings: [...findings, ...unchecked(each, effective)] };
}

export function placeOf(source: Source, range: Range): Place {
  return { file: source.file, ...source.position(range.start) };
}

function prepareCheck(check: Check, source: Source, level?: string): Checking {
  return {
    kind: 'check',
    place: placeOf(source, check.range),
    text: check.written,
    ...(check.label && { label: compileExpression(check.label) }),
    ...(level !== undefined && { level }),
    condition: check.condition,
    decide: compileCondition(check.condition),
  };
}

function prepareStatement(statement: Statement, source: Source): PlannedStep[] {
  const place = placeOf(source, statement.range);
  const text = statement.written;
  switch (statement.type) {
    case 'check':
      return [prepareCheck(statement, source)];
    case 'keep': {
      const evaluate = withDefault(
        compileExpression(statement.value),
        statement.otherwise && compileExpression(statement.otherwise),
      );
      const reveals = [statement.value, ...(statement.otherwise ? [statement.otherwise] : [])]
        .flatMap(revealing)
        .map(reference => reference.name);
      return [
        { kind: 'keep', place, text, name: statement.name, secret: statement.secret, evaluate, reveals },
      ];
    }
    case 'let':
      return [
        {
          kind: 'let',
          place,
          text,
          name: statement.name,
          secret: false,
          evaluate: compileExpression(statement.value),
          reveals: revealing(statement.value).map(reference => reference.name),
        },
      ];
    case 'wait':
      return [{ kind: 'wait', place, text, evaluate: compileExpression(statement.duration) }];
    default:
      throw new TypeError(`The statement ${statement.type} is not there yet.`);
  }
}

function withDefault(evaluate: Evaluate, otherwise: Evaluate | undefined): Evaluate {
  if (!otherwise) return evaluate;
  return scene => {
    const value = evaluate(scene);
    return value instanceof Missing ? otherwise(scene) : value;
  };
}

function prepareRequest(step: RequestStep, { base, headers, timeout }: Effective, source: Source): Sending {
  const relative = step.targetText.startsWith('/');
  if (relative && !base) {
    throw new Mistake(
      'base-missing',
      step.targetRange,
      "There is no address to put before this target: no 'base' is set.",
      'Set base: "http://…" in mervok.yaml or in the front matter, or write the whole address.',
    );
  }
  const own = new Set(step.headers.map(header => header.name.toLowerCase()));
  const fields = [
    ...headers
      .filter(({ header }) => !own.has(header.name.toLowerCase()))
      .map(({ header }) => ({ name: header.name, value: header.value })),
    ...step.headers.map(({ name, value }) => ({ name, value })),
  ];
  const prepared = step.body && prepareBody(step.body, fields);
  if (prepared?.contentType !== undefined)
    fields.push({
      name: 'Content-Type',
      value: parseTemplateText(prepared.contentType, 'header', step.range),
    });
  return {
    kind: 'send',
    place: placeOf(source, step.range),
    method: step.method,
    url: scene =>
      (relative ? render(base!.template, scene).replace(/\/$/, '') : '') + renderTarget(step.target, scene),
    headers: fields,
    ...(prepared && { body: prepared.template }),
    timeout,
  };
}

/** The type decides how the references of a body are escaped; where none is given, the body shows it. */
function prepareBody(
  { excerpt, start }: NonNullable<RequestStep['body']>,
  fields: readonly { name: string; value: Template }[],
) {
  const given = fields.find(field => field.name.toLowerCase() === 'content-type');
  if (given) {
    const type = given.value.parts.filter(part => typeof part === 'string').join('');
    return { template: parseBody(excerpt, start, formOf(type)) };
  }
  const first = excerpt.text.slice(start).trimStart()[0];
  const contentType =
    first === '{' || first === '['
      ? 'application/json'
      : first === '<'
        ? 'application/xml'
        : 'text/plain; charset=utf-8';
  return { template: parseBody(excerpt, start, formOf(contentType)), contentType };
}

function formOf(contentType: string): BodyForm {
  const type = contentType.split(';')[0]!.trim().toLowerCase();
  if (/^[\w.+-]+\/(?:[\w.-]+\+)?json$/.test(type)) return 'json';
  if (/^[\w.+-]+\/(?:[\w.-]+\+)?xml$/.test(type)) return 'xml';
  return type === 'application/x-www-form-urlencoded' ? 'form' : 'text';
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
      open = step;
    } else if (step.statements.some(statement => statement.type === 'check')) open = undefined;
  }
  close();
  return findings;
}
