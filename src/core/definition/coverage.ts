import { memberStep } from '../language/looked-at.ts';
import type { ExercisedOperation } from '../model/exercised.ts';
import { type ApiDefinition, type MediaType, type Operation, operationTitle } from './api.ts';
import { type Located, Unresolved } from './document/document-set.ts';
import { isJsonObject, type Json, member, members } from './document/json.ts';
import { takesJson } from './media-types.ts';

// How much of a definition runs have exercised; plain data.

export interface Coverage {
  readonly title: string;
  /** What was never exercised first, then what was in part. */
  readonly operations: readonly OperationCoverage[];
  /** Pairs of operation and described status: how many there are, and how many were seen in cases that passed. */
  readonly pairs: number;
  readonly seen: number;
}

export interface OperationCoverage {
  /** `GET /berths/{berth}` */
  readonly operation: string;
  readonly summary?: string;
  /** How many requests were sent. */
  readonly sent: number;
  /** Those that count, in the order in which they are described. */
  readonly statuses: readonly StatusCoverage[];
  readonly parameters: Parts;
  /** Members of the body. */
  readonly body: Parts;
  /** Members of the response, and whether a check or a keep looked at them. */
  readonly response: Parts;
}

export interface StatusCoverage {
  readonly status: string;
  /** How many responses, and how many of them in cases that passed. */
  readonly seen: number;
  readonly passed: number;
}

/** Names that were exercised, and those that were not. */
export interface Parts {
  readonly done: readonly string[];
  readonly missing: readonly string[];
}

/** @param all whether 5xx and `default` count too */
export function coverageOf(
  api: ApiDefinition,
  exercised: ReadonlyMap<string, ExercisedOperation>,
  all: boolean,
): Coverage {
  const operations = api.operations.map(each => {
    const title = operationTitle(each);
    return operationCoverage(api, each, exercised.get(title), all);
  });
  const statuses = operations.flatMap(each => each.statuses);
  return {
    title: api.title,
    operations: operations.toSorted((a, b) => rankOf(a) - rankOf(b)),
    pairs: statuses.length,
    seen: statuses.filter(({ passed }) => passed > 0).length,
  };
}

/** What was never sent, then what lacks most. */
function rankOf({ sent, statuses }: OperationCoverage): number {
  if (sent === 0) return 0;
  const missing = statuses.filter(({ passed }) => passed === 0).length;
  return missing > 0 ? 1 : 2;
}

function operationCoverage(
  api: ApiDefinition,
  operation: Operation,
  exercised: ExercisedOperation | undefined,
  all: boolean,
): OperationCoverage {
  const statuses = [...operation.responses.keys()]
    .filter(status => all || !/^5|^default$/i.test(status))
    .map(status => ({ status, ...(exercised?.statuses.get(status) ?? { seen: 0, passed: 0 }) }));
  const parameters = operation.parameters.map(each => `${each.in} ${each.name}`);
  const { summary } = operation;
  return {
    operation: operationTitle(operation),
    ...(summary !== undefined && { summary }),
    sent: exercised?.sent ?? 0,
    statuses,
    parameters: parted(parameters, name => wasSent(name, exercised?.parameters)),
    body: parted(bodyMembers(api, operation), name => exercised?.members.has(withoutItems(name)) ?? false),
    response: parted(responseMembers(api, operation), path => isLookedAt(path, exercised?.looked ?? [])),
  };
}

/** Names of headers are told in any case. */
function wasSent(name: string, sent: ReadonlySet<string> = new Set()): boolean {
  return sent.has(name) || (name.startsWith('header ') && sent.has(name.toLowerCase()));
}

function parted(names: readonly string[], isDone: (name: string) => boolean): Parts {
  return { done: names.filter(isDone), missing: names.filter(name => !isDone(name)) };
}

/** Whether one of the paths that were looked at comes to a member: itself, all below what stands above it, or anywhere. */
function isLookedAt(path: string, looked: Iterable<string>): boolean {
  for (const each of looked) {
    if (each === path || each === withoutItems(path)) return true;
    const whole = /^(.*)\.\.\*$/.exec(each)?.[1];
    if (
      whole !== undefined &&
      (path === whole || path.startsWith(`${whole}.`) || path.startsWith(`${whole}[`))
    )
      return true;
    const anywhere = /^(.*)\.\.(\w+)$/.exec(each);
    if (anywhere && path.startsWith(anywhere[1]!) && path.endsWith(`.${anywhere[2]}`)) return true;
  }
  return false;
}

function withoutItems(path: string): string {
  return path.replace(/(?:\[\*?\])+$/, '');
}

/** The members of the bodies that are described as JSON, as `captain.name` and `crew[].name`. */
function bodyMembers(api: ApiDefinition, { body }: Operation): string[] {
  const step = (name: string, way: string) => (way === '' ? name : `.${name}`);
  return leavesOf(api, body?.content ?? [], { start: '', step, item: '[]', skips: 'readOnly' });
}

/** The same of the responses that say that all is well, as paths. */
function responseMembers(api: ApiDefinition, { responses }: Operation): string[] {
  const well = [...responses.values()].filter(({ status }) => /^2/.test(status));
  const content = well.flatMap(each => each.content);
  return leavesOf(api, content, { start: '$', step: memberStep, item: '[*]', skips: 'writeOnly' });
}

/** How the places in a body are named. */
interface Naming {
  readonly start: string;
  readonly step: (name: string, way: string) => string;
  readonly item: string;
  /** Members that belong to the other direction. */
  readonly skips: 'readOnly' | 'writeOnly';
}

/** So many members of a body are looked for, in so many schemas, and so deep. */
const most = { members: 300, schemas: 5000, depth: 8 };

/** Everything in bodies of JSON that has nothing described below it. */
function leavesOf(
  { documents }: ApiDefinition,
  content: readonly MediaType[],
  { start, step, item, skips }: Naming,
): string[] {
  const names = new Set<string>();
  let looked = 0;
  const look = (located: Located, way: string, around: readonly Json[]): void => {
    const target = documents.resolve(located);
    if (target instanceof Unresolved || names.size >= most.members || ++looked > most.schemas) return;
    const { value, document } = target;
    if (around.length > most.depth || around.includes(value)) return;
    const inside = [...around, value];
    const before = names.size;
    for (const [name, each] of members(member(value, 'properties'))) {
      const inner = documents.resolve({ value: each, document });
      const isSkipped = !(inner instanceof Unresolved) && member(inner.value, skips) === true;
      if (!isSkipped) look({ value: each, document }, way + step(name, way), inside);
    }
    for (const keyword of ['allOf', 'anyOf', 'oneOf'])
      for (const each of [member(value, keyword) ?? []].flat())
        if (isJsonObject(each)) look({ value: each, document }, way, inside);
    const items = member(value, 'items');
    if (isJsonObject(items)) look({ value: items, document }, way + item, inside);
    if (names.size === before && way !== start && !hasParts(value)) names.add(way);
  };
  for (const { type, schema } of content) if (schema && takesJson(type)) look(schema, start, []);
  return [...names];
}

function hasParts(value: Json): boolean {
  return (
    members(member(value, 'properties')).length > 0 ||
    ['allOf', 'anyOf', 'oneOf', 'items'].some(keyword => isJsonObject(member(value, keyword)))
  );
}
