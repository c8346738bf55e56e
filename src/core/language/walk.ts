import type { Condition, Expression, Reference, ResponseSource, Statement } from './ast.ts';

type Any = Expression | Condition | Statement;

/** The nodes directly below a node, in the order in which they are written. */
function children(node: Any): Any[] {
  switch (node.type) {
    case 'text':
    case 'pattern':
      return node.parts.filter(part => typeof part !== 'string');
    case 'list':
      return [...node.items];
    case 'object':
      return node.members.flatMap(member => [member.name, member.value]);
    case 'source':
      return 'pattern' in node && node.pattern ? [node.pattern] : [];
    case 'query':
      return [node.of];
    case 'call':
      return [...node.arguments];
    case 'negative':
      return [node.operand];
    case 'arithmetic':
      return [node.left, node.right];
    case 'and':
    case 'or':
      return [...node.conditions];
    case 'not':
      return [node.condition];
    case 'comparison':
      return [node.subject, ...predicateValues(node.predicate)];
    case 'check':
      return [...(node.label ? [node.label] : []), node.condition];
    case 'keep':
      return [node.value, ...(node.otherwise ? [node.otherwise] : [])];
    case 'let':
      return [node.value];
    case 'wait':
      return [node.duration];
    case 'repeat':
      return [node.every, node.limit, node.until];
    case 'skip':
      return [node.when];
    case 'each-value':
      return [node.list];
    default:
      return [];
  }
}

function predicateValues(predicate: Extract<Any, { type: 'comparison' }>['predicate']): Expression[] {
  switch (predicate.test) {
    case 'between':
      return [predicate.low, predicate.high];
    case 'in':
      return [...predicate.values];
    case 'compare':
    case 'contains':
    case 'starts':
    case 'ends':
    case 'matches':
    case 'includes':
      return [predicate.value];
    default:
      return [];
  }
}

/** Every node of a tree, parents before children. */
export function* walk(node: Any): Generator<Any> {
  yield node;
  for (const child of children(node)) yield* walk(child);
}

export function referencesIn(node: Any): Reference[] {
  return [...walk(node)].filter(each => each.type === 'reference');
}

export function sourcesIn(node: Any): ResponseSource[] {
  return [...walk(node)].filter(each => each.type === 'source');
}

/** Whether what an expression gives is to be kept secret when what it refers to is. Lengths and counts give nothing away. */
export function revealing(node: Expression): Reference[] {
  if (node.type === 'call' && node.name === 'length') return [];
  if (node.type === 'query' && node.pick === 'count') return [];
  if (node.type === 'reference') return [node];
  return children(node).flatMap(child => revealing(child as Expression));
}
