import type { Comparison, Condition, Expression, StatementNode } from '../language/ast.ts';
import { surveyOf } from '../language/walk.ts';
import type { Effective } from '../settings/effective.ts';
import { listed } from './reads.ts';

/** What a case relies on of the status of an answer. */
export interface ReliedStatuses {
  /** Those that its checks let pass: `200`, `4xx`; none where no check lists them. */
  readonly statuses: readonly string[];
  /** Those of the answers that its statements look into; none where that is not known. */
  readonly lookedInto: readonly string[];
}

/** Whoever looks into an answer without asking for its status means one that is as it should be. */
const asItShouldBe = '2xx';

/** @param statements those of the case itself; those of the settings count where these say nothing */
export function statusesOf(
  statements: readonly StatementNode[],
  { checks }: Pick<Effective, 'checks'>,
): ReliedStatuses & { readonly checked: StatementNode | undefined } {
  const own = statements.filter(isAboutStatus);
  const statuses = own.flatMap(listedIn);
  if (statuses.length > 0) return { statuses, lookedInto: statuses, checked: own[0] };
  if (own.length > 0) return { statuses: [], lookedInto: [], checked: own[0] };
  const ofSettings = checks.flatMap(({ check }) => listedIn(check));
  const lookedInto = ofSettings.length > 0 ? ofSettings : [asItShouldBe];
  return { statuses: ofSettings, lookedInto, checked: undefined };
}

/** Whether an answer has the status that a check lets pass, which may be a class. */
export function isStatus(written: string, status: string): boolean {
  return (
    written.length === status.length &&
    [...written.toLowerCase()].every((char, at) => char === 'x' || char === status[at])
  );
}

function isAboutStatus(statement: StatementNode): boolean {
  return statement.parts.some(part =>
    surveyOf(part).sources.some(({ form, sent, hop }) => form === 'status' && !sent && hop === undefined),
  );
}

function listedIn(statement: StatementNode): string[] {
  return statement.parts.flatMap(part => ('conditions' in part || isComparison(part) ? listedBy(part) : []));
}

function isComparison(part: StatementNode['parts'][number]): part is Comparison {
  return part.type === 'comparison';
}

function listedBy(condition: Condition): string[] {
  switch (condition.type) {
    case 'comparison':
      return listedByComparison(condition);
    case 'and':
      return condition.conditions.flatMap(listedBy);
    case 'or': {
      const all = condition.conditions.map(listedBy);
      return all.every(each => each.length > 0) ? all.flat() : [];
    }
    default:
      return [];
  }
}

function listedByComparison({ subject, predicate }: Comparison): string[] {
  const isStatus = subject.type === 'source' && subject.form === 'status';
  if (!isStatus || subject.sent || subject.hop !== undefined || predicate.negated) return [];
  switch (predicate.test) {
    case 'is':
      return predicate.types.filter(type => /^\dxx$/.test(type));
    case 'in':
      return listed(predicate.values).flatMap(numberIn);
    case 'compare':
      return predicate.operator === '=' ? numberIn(predicate.value) : [];
    default:
      return [];
  }
}

function numberIn(value: Expression): string[] {
  return value.type === 'number' ? [String(value.value)] : [];
}
