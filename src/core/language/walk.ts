import type { Condition, Expression, Node, Predicate, Reference, ResponseSource, Statement } from './ast.ts';

export type Any = Expression | Condition | Statement;

/** Tells of the nodes directly below a node, in the order in which they are written. */
function eachChild(node: Any, tell: (child: Any) => void): void {
  switch (node.type) {
    case 'text':
    case 'pattern':
      for (const part of node.parts) if (typeof part !== 'string') tell(part);
      break;
    case 'list':
      node.items.forEach(tell);
      break;
    case 'object':
      for (const { name, value } of node.members) {
        tell(name);
        tell(value);
      }
      break;
    case 'source':
      if ('pattern' in node && node.pattern) tell(node.pattern);
      break;
    case 'query':
      tell(node.of);
      break;
    case 'call':
      node.arguments.forEach(tell);
      break;
    case 'negative':
      tell(node.operand);
      break;
    case 'arithmetic':
      tell(node.left);
      tell(node.right);
      break;
    case 'and':
    case 'or':
      node.conditions.forEach(tell);
      break;
    case 'not':
      tell(node.condition);
      break;
    case 'comparison':
      tell(node.subject);
      eachValue(node.predicate, tell);
      break;
    case 'check':
      if (node.label) tell(node.label);
      tell(node.condition);
      break;
    case 'keep':
      tell(node.value);
      if (node.otherwise) tell(node.otherwise);
      break;
    case 'let':
      tell(node.value);
      break;
    case 'wait':
      tell(node.duration);
      break;
    case 'repeat':
      tell(node.every);
      tell(node.limit);
      tell(node.until);
      break;
    case 'skip':
      tell(node.when);
      break;
    case 'each-value':
      tell(node.list);
      break;
    default:
  }
}

function eachValue(predicate: Predicate, tell: (child: Any) => void): void {
  switch (predicate.test) {
    case 'between':
      tell(predicate.low);
      tell(predicate.high);
      break;
    case 'in':
      predicate.values.forEach(tell);
      break;
    case 'compare':
    case 'contains':
    case 'starts':
    case 'ends':
    case 'matches':
    case 'includes':
      tell(predicate.value);
      break;
    default:
  }
}

/** Every node of a tree, parents before children. */
function gather(node: Any): Any[] {
  const nodes: Any[] = [];
  const visit = (each: Any) => {
    nodes.push(each);
    eachChild(each, visit);
  };
  visit(node);
  return nodes;
}

/** Every node of a tree, parents before children. Those of a statement are gathered once: one stage after the other asks. */
export function nodesOf(node: Any & { nodes?: readonly Node[] }): readonly Any[] {
  if (!('written' in node)) return gather(node);
  node.nodes ??= gather(node);
  return node.nodes as readonly Any[];
}

export function referencesIn(node: Any): Reference[] {
  return nodesOf(node).filter(each => each.type === 'reference');
}

export function sourcesIn(node: Any): ResponseSource[] {
  return nodesOf(node).filter(each => each.type === 'source');
}

/** Whether what an expression gives is to be kept secret when what it refers to is. Lengths and counts give nothing away. */
export function revealing(node: Expression): Reference[] {
  if (node.type === 'call' && node.name === 'length') return [];
  if (node.type === 'query' && node.pick === 'count') return [];
  if (node.type === 'reference') return [node];
  const found: Reference[] = [];
  eachChild(node, child => found.push(...revealing(child as Expression)));
  return found;
}
