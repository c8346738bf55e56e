import type { CollectionCase } from '../analysis/collection.ts';
import type { Flow } from '../analysis/flow.ts';
import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { StatementNode } from '../language/ast.ts';
import { type Place, placeOf } from '../model/place.ts';
import type { Source } from '../model/source.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { PlannedDefinition } from '../steps/http/hold-answer.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import { operationKindOf } from '../steps/kinds.ts';
import type { WrittenStep } from '../steps/step.ts';
import { withoutOrigin } from '../text/hosts.ts';
import { type Read, readsOf, type SchemaText } from './reads.ts';
import { type SentParts, sentBy } from './sent.ts';
import { type ReliedStatuses, statusesOf } from './statuses.ts';

/** A read, and where the statement stands that wants it. */
export interface PlacedRead extends Read {
  readonly place: Place;
  /** The statement. */
  readonly text: string;
}

/** A request of a page, and what its case relies on of the answer. */
export interface ReliedRequest extends ReliedStatuses {
  readonly case: string;
  readonly place: Place;
  readonly method: string;
  /** As it counts from the base: `/berths/{berth}`; nothing where that is known only in a run. */
  readonly target: string | undefined;
  /** As it is written. */
  readonly written: string;
  readonly sent: SentParts;
  /** Whether redirects are followed, so that the answer may be that of another operation. */
  readonly isSentOn: boolean;
  /** Where the status is checked; where it is not, of the request. */
  readonly statusPlace: Place;
  readonly reads: readonly PlacedRead[];
}

/** What the pages of a plan rely on, request by request, in their order. */
export function reliedRequests({ pages }: Plan, flow: Flow, schema: SchemaText): ReliedRequest[] {
  const cases = new Map(flow.collection.pages.flatMap(page => page.cases).map(each => [each.address, each]));
  return pages.flatMap(page =>
    page.cases.flatMap(planned => {
      const own = cases.get(planned.address);
      return own && planned.asked ? requestsOf(own, planned, schema) : [];
    }),
  );
}

function requestsOf(own: CollectionCase, planned: PlannedCase, schema: SchemaText): ReliedRequest[] {
  const { steps } = own.written;
  const { source } = own.page.page;
  const level = mergeLevels(own.levels);
  return steps.flatMap((step, at) => {
    if (step.type !== 'http') return [];
    const request = step as WrittenRequest;
    const behind = steps.slice(at + 1);
    const next = behind.findIndex(each => operationKindOf(each)?.offers(each as never) !== undefined);
    const statements = behind.slice(0, next < 0 ? undefined : next).filter(isStatement);
    const until = request.repeat ? [request.repeat as StatementNode] : [];
    const line = source.position(step.range.start).line;
    const prepared = planned.steps.find(
      (each): each is HttpStep => each instanceof HttpStep && each.place.line === line,
    );
    const levelReads = level.checks.flatMap(each => placedReads(each.check, each.level.source, schema));
    const reads = [
      ...levelReads,
      ...[...until, ...statements].flatMap(each => placedReads(each, source, schema)),
    ];
    const target = targetOf(request);
    const { checked, ...statuses } = statusesOf([...until, ...statements], level);
    return [
      {
        case: own.address,
        place: placeOf(source, step.range),
        method: request.method,
        target: describedTarget(prepared?.definition, request.method, target) ?? target,
        written: request.targetText,
        sent: sentBy(request, level),
        isSentOn: level.transport.redirects !== 0,
        ...statuses,
        statusPlace: placeOf(source, (checked ?? step).range),
        reads,
      },
    ];
  });
}

function isStatement(step: WrittenStep): step is StatementNode & WrittenStep {
  return 'written' in step;
}

function placedReads(statement: StatementNode, source: Source, schema: SchemaText): PlacedRead[] {
  const isKept = statement.type === 'keep' && 'otherwise' in statement;
  if (isKept) return [];
  return readsOf(statement, schema).map(read => ({
    ...read,
    place: placeOf(source, statement.range),
    text: statement.written,
  }));
}

/** The path of its operation, where the settings name a definition that has it. */
function describedTarget(
  definition: PlannedDefinition | undefined,
  method: string,
  target: string | undefined,
): string | undefined {
  if (target === undefined || !definition) return undefined;
  const asked = {
    method,
    url: addressOf(target),
    status: 200,
    headers: [],
    sent: { headers: [], hasBody: false },
  };
  return definition.holder.describe(asked, anywhere)?.operation?.replace(/^\S+ /, '');
}

/** Where targets count from, whatever that is in a run. */
export const anywhere = 'http://service.example';

/** A target with something in the place of each reference. */
export function addressOf(target: string): string {
  return anywhere + target.replaceAll('{', '%7B').replaceAll('}', '%7D');
}

/** The path of a target, its references as they stand; nothing where a reference stands for more than a part of it. */
function targetOf({ target: { parts } }: WrittenRequest): string | undefined {
  let path = '';
  for (const [index, part] of parts.entries()) {
    if (typeof part === 'string') {
      const own = index === 0 ? withoutOrigin(part) : part;
      const end = own.search(/[?#]/);
      if (end >= 0) return withSlash(path + own.slice(0, end));
      path += own;
    } else if (part.operator === '?' || part.operator === '&') return withSlash(path);
    else if (part.operator !== '' || (part.asIs && index === 0)) return undefined;
    else path += part.variables.map(({ reference }) => `{${reference.name}}`).join(',');
  }
  return withSlash(path);
}

function withSlash(path: string): string | undefined {
  return path.startsWith('/') ? path : undefined;
}
