import type {
  Comparison,
  Condition,
  Expression,
  Predicate,
  Reference,
  ResponseSource,
  StatementNode,
} from './ast.ts';
import type { Given } from './jsonpath/ast.ts';

/** What a statement is made of. */
export type Part = Expression | Condition;

/** Tells of the nodes directly below a node, in the order in which they are written. */
function eachChild(node: Part, tell: (child: Part) => void): void {
  switch (node.type) {
    case 'comparison':
      tell(node.subject);
      eachValue(node.predicate, tell);
      break;
    case 'source':
      if ('pattern' in node && node.pattern) tell(node.pattern);
      for (const { reference } of givenTo(node)) tell(reference);
      break;
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
    case 'query':
      tell(node.of);
      break;
    case 'call':
      node.arguments.forEach(tell);
      break;
    case 'truth':
      tell(node.condition);
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
    default:
  }
}

function eachValue(predicate: Predicate, tell: (child: Part) => void): void {
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

/** The references that stand in a path or a selector. */
function givenTo(node: ResponseSource): readonly Given[] {
  if (node.form === 'path') return node.path.given;
  return node.form === 'xml' || node.form === 'html' ? node.selector.given : noGiven;
}

const noGiven: readonly Given[] = [];

/** All that a tree is made of, and what of it one stage after the other asks for. */
export interface Survey {
  /** Parents before children. */
  readonly nodes: readonly Part[];
  readonly references: readonly Reference[];
  readonly sources: readonly ResponseSource[];
  readonly comparisons: readonly Comparison[];
}

const none: readonly never[] = [];

function look(roots: readonly Part[]): Survey {
  const nodes: Part[] = [];
  // Of a large collection all statements are looked through; most have one of these or none.
  let references: Reference[] | undefined;
  let sources: ResponseSource[] | undefined;
  let comparisons: Comparison[] | undefined;
  const visit = (node: Part) => {
    nodes.push(node);
    switch (node.type) {
      case 'number':
      case 'constant':
      case 'duration':
      case 'size':
        return;
      case 'reference':
        if (references) references.push(node);
        else references = [node];
        return;
      case 'source':
        if (sources) sources.push(node);
        else sources = [node];
        break;
      case 'comparison':
        if (comparisons) comparisons.push(node);
        else comparisons = [node];
        break;
      default:
    }
    eachChild(node, visit);
  };
  roots.forEach(visit);
  return {
    nodes,
    references: references ?? none,
    sources: sources ?? none,
    comparisons: comparisons ?? none,
  };
}

/** A statement is looked through once. */
export function surveyOf(node: Part | StatementNode): Survey {
  if (!('parts' in node) || !('written' in node)) return look([node as Part]);
  node.survey ??= look(node.parts);
  return node.survey as Survey;
}

/** Every node of a tree, parents before children; of a statement, those of its parts. */
export function nodesOf(node: Part | StatementNode): readonly Part[] {
  return surveyOf(node).nodes;
}

export function referencesIn(node: Part | StatementNode): readonly Reference[] {
  return surveyOf(node).references;
}

export function sourcesIn(node: Part | StatementNode): readonly ResponseSource[] {
  return surveyOf(node).sources;
}

/** Whether what an expression gives is to be kept secret when what it refers to is. Lengths and counts give nothing away. */
export function revealing(node: Expression | Condition): Reference[] {
  if (node.type === 'call' && node.name === 'length') return [];
  if (node.type === 'query' && node.pick === 'count') return [];
  if (node.type === 'reference') return [node];
  // What a path or a CSS selector gives is a part of the response; a value in it only says which. An XPath may compute.
  if (node.type === 'source' && (node.form === 'path' || node.form === 'html')) return [];
  const found: Reference[] = [];
  eachChild(node, child => found.push(...revealing(child)));
  return found;
}
