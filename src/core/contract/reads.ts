import type {
  Comparison,
  Condition,
  Expression,
  Predicate,
  ResponseSource,
  StatementNode,
} from '../language/ast.ts';
import type { Segment } from '../language/jsonpath/ast.ts';
import { kindOfExpression } from '../language/static-kinds.ts';
import { surveyOf } from '../language/walk.ts';
import { partPath } from '../replay/changes/json-changes.ts';
import type { PartStep } from '../values/document-parts.ts';
import { isNumeric, numberText } from '../values/number.ts';
import type { Scalar } from './contract.ts';
import { isReadKind, kindOfSchemaType, type ReadKind } from './read-kinds.ts';

/** A part of an answer that a statement looks at, and what it has to be. */
export interface Read {
  /** As a check writes it. */
  readonly part: string;
  /** Of a part of a JSON document. */
  readonly way?: readonly PartStep[];
  /** Any, where there are none. */
  readonly kinds?: ReadonlySet<ReadKind>;
  /** One of these it has to be able to be. */
  readonly values?: readonly Scalar[];
}

/** A JSON Schema that a check names, by that name and the file that the check stands in. */
export type SchemaText = (name: string, from: string) => unknown;

/** What a statement relies on. Where it holds one way or another, no single part has to be there. */
export function readsOf(statement: StatementNode, schema: SchemaText): Read[] {
  const found: Read[] = [];
  for (const part of statement.parts) {
    if (isCondition(part)) found.push(...readsOfCondition(part, schema));
    else found.push(...readsIn(part));
  }
  return found;
}

function isCondition(part: Expression | Condition): part is Condition {
  return part.type === 'comparison' || part.type === 'and' || part.type === 'or' || part.type === 'not';
}

function readsOfCondition(condition: Condition, schema: SchemaText): Read[] {
  switch (condition.type) {
    case 'and':
      return condition.conditions.flatMap(each => readsOfCondition(each, schema));
    case 'comparison':
      return readsOfComparison(condition, schema);
    default:
      return [];
  }
}

function readsOfComparison(comparison: Comparison, schema: SchemaText): Read[] {
  const { subject, predicate } = comparison;
  const source = subject.type === 'query' ? subject.of : subject;
  if (source.type !== 'source') return readsIn(comparison);
  const rest = readsIn(comparison, source);
  const part = partOf(source);
  if (!part || isAbsence(predicate)) return rest;
  if (subject.type === 'query' && subject.pick === 'count') return [...listOf(part), ...rest];
  // Of a list of what a path matches nothing is said of each.
  if (subject.type === 'query' && subject.pick === 'all') return [part, ...rest];
  return [...wantedOf(predicate, part, schema), ...rest];
}

/** What is only computed with has to be there; of what is counted, the list. */
function readsIn(node: Expression | Condition, but?: ResponseSource): Read[] {
  const { nodes, sources } = surveyOf(node);
  const counted = new Set(
    nodes.flatMap(each => (each.type === 'query' && each.pick === 'count' ? [each.of] : [])),
  );
  return sources.flatMap(source => {
    const part = source === but ? undefined : partOf(source);
    if (!part) return [];
    return counted.has(source) ? listOf(part) : [part];
  });
}

function isAbsence(predicate: Predicate): boolean {
  return predicate.test === 'exists' && predicate.negated;
}

/** The list that is counted. */
function listOf({ way }: Read): Read[] {
  if (!way || way.at(-1) !== undefined || way.length === 0) return [];
  const list = way.slice(0, -1);
  return [{ part: partPath(list), way: list, kinds: new Set(['list']) }];
}

/** The part that a source looks at; nothing where it is none of the answer, or not one that can be named. */
function partOf(source: ResponseSource): Read | undefined {
  if (source.sent || source.hop !== undefined) return undefined;
  switch (source.form) {
    case 'path': {
      const way = source.as === undefined ? wayOf(source.path.segments) : undefined;
      return way && { part: partPath(way), way };
    }
    case 'xml':
    case 'html':
      return {
        part: source.form === 'xml' ? `xml${source.selector.text}` : `html("${source.selector.text}")`,
      };
    case 'header':
      return { part: `header ${source.argument!.toLowerCase()}` };
    case 'cookie':
      return { part: `cookie ${source.argument}` };
    case 'location':
      return { part: 'header location' };
    case 'link':
      return { part: 'header link' };
    default:
      return undefined;
  }
}

/** Names and items; nothing where a path goes everywhere. */
function wayOf(segments: readonly Segment[]): PartStep[] | undefined {
  const way: PartStep[] = [];
  for (const { descendant, selectors } of segments) {
    const [selector] = selectors;
    if (descendant || selectors.length > 1 || !selector || selector.kind === 'given-name') return undefined;
    way.push(selector.kind === 'name' ? selector.name : undefined);
  }
  return way;
}

function wantedOf(predicate: Predicate, part: Read, schema: SchemaText): Read[] {
  const of = (...kinds: ReadKind[]): Read[] => [{ ...part, kinds: new Set(kinds) }];
  switch (predicate.test) {
    case 'compare':
      return comparedWith(part, [predicate.value], predicate.operator === '=' && !predicate.negated);
    case 'between':
      return comparedWith(part, [predicate.low], false);
    case 'in':
      return comparedWith(part, listed(predicate.values), !predicate.negated);
    case 'starts':
    case 'ends':
    case 'matches':
      return of('text');
    case 'contains':
      return of('text', 'list');
    case 'unique':
    case 'sorted':
    case 'sorted-down':
      return part.way?.at(-1) === undefined ? [part] : of('list');
    case 'is':
      return predicate.negated ? [part] : [{ ...part, kinds: new Set(predicate.types.map(kindOfType)) }];
    case 'includes':
      return part.way ? includedIn(predicate.value, part, part.way) : [part];
    case 'fits':
      return part.way ? [part, ...describedBy(schema(predicate.schema, predicate.from), part.way)] : [part];
    default:
      return [part];
  }
}

/** `in A, B`, or `in [A, B]`. */
export function listed(values: readonly Expression[]): readonly Expression[] {
  const [only] = values;
  return values.length === 1 && only!.type === 'list' ? only!.items : values;
}

function kindOfType(type: string): ReadKind {
  return isReadKind(type) ? type : 'text';
}

/** @param isOne whether it has to be one of them */
function comparedWith(part: Read, values: readonly Expression[], isOne: boolean): Read[] {
  const kinds = new Set(values.flatMap(kindsOfLiteral));
  if (kinds.size === 0) return [part];
  const all = isOne ? values.map(scalarOf) : [];
  const scalars = all.filter(value => value !== undefined);
  return [
    { ...part, kinds, ...(scalars.length > 0 && scalars.length === all.length && { values: scalars }) },
  ];
}

/** What a value is compared with says of what kind it has to be; a reference says nothing. */
function kindsOfLiteral(value: Expression): ReadKind[] {
  const kind = kindOfExpression(value);
  return isReadKind(kind) ? [kind] : [];
}

function scalarOf(value: Expression): Scalar | undefined {
  if (value.type === 'constant') return value.value;
  if (value.type === 'number' && isNumeric(value.value)) {
    const number = Number(numberText(value.value));
    return Number.isFinite(number) ? number : undefined;
  }
  const isPlain = value.type === 'text' && value.parts.every(each => typeof each === 'string');
  return isPlain ? value.parts.join('') : undefined;
}

/** Members that have to be there, and what they have to be. */
function includedIn(value: Expression, part: Read, way: readonly PartStep[]): Read[] {
  const own = { ...part, part: partPath(way), way };
  if (value.type === 'object')
    return [
      { ...own, kinds: new Set(['object'] as const) },
      ...value.members.flatMap(({ name, value: inner }) =>
        name.parts.every(each => typeof each === 'string')
          ? includedIn(inner, part, [...way, name.parts.join('')])
          : [],
      ),
    ];
  if (value.type === 'list')
    return [
      { ...own, kinds: new Set(['list'] as const) },
      ...value.items.flatMap(inner => includedIn(inner, part, [...way, undefined])),
    ];
  if (value.type === 'type-word') return [{ ...own, kinds: new Set(value.types.map(kindOfType)) }];
  return comparedWith(own, [value], true);
}

/** What a JSON Schema wants to be there, as far as that stands in it without combinations and references. */
function describedBy(schema: unknown, way: readonly PartStep[]): Read[] {
  // `true` lets anything pass.
  const keywords = (typeof schema === 'object' ? (schema ?? {}) : {}) as { [keyword: string]: unknown };
  const { type, required, properties, items, enum: values } = keywords;
  const types = (Array.isArray(type) ? type : [type]).flatMap(each => kindOfSchemaType(String(each)) ?? []);
  const scalars = Array.isArray(values)
    ? (values as Scalar[]).filter(each => typeof each !== 'object' || each === null)
    : [];
  const own: Read = {
    part: partPath(way),
    way,
    ...(types.length > 0 && { kinds: new Set(types) }),
    ...(scalars.length > 0 && { values: scalars }),
  };
  const named = Array.isArray(required) ? (required as unknown[]).map(String) : [];
  const described = new Map(Object.entries((properties ?? {}) as object));
  return [
    own,
    ...named.flatMap(name => describedBy(described.get(name), [...way, name])),
    ...(items === undefined ? [] : describedBy(items, [...way, undefined])),
  ];
}
