import type { AnyNode, Node } from 'acorn';

// What a tree of JavaScript is made of.

export interface ImportedName {
  /** As the other module calls it, where it is another's. */
  readonly name: string;
  readonly start: number;
  readonly end: number;
}

export type Named = Node & { readonly type: string; readonly name?: string; readonly value?: unknown };

export function nameOf(node: Named): ImportedName {
  return { name: node.name ?? String(node.value), start: node.start, end: node.end };
}

/** The names that a pattern such as `{ a, b: [c] }` declares. */
export function namesIn(pattern: AnyNode): ImportedName[] {
  switch (pattern.type) {
    case 'Identifier':
      return [nameOf(pattern)];
    case 'ObjectPattern':
      return pattern.properties.flatMap(each =>
        namesIn(each.type === 'Property' ? each.value : each.argument),
      );
    case 'ArrayPattern':
      return pattern.elements.flatMap(each => (each ? namesIn(each) : []));
    case 'AssignmentPattern':
      return namesIn(pattern.left);
    case 'RestElement':
      return namesIn(pattern.argument);
    default:
      return [];
  }
}

/** Every node of a tree, parents before children. */
export function* nodesIn(node: AnyNode): Generator<AnyNode> {
  yield node;
  for (const child of childrenOf(node)) yield* nodesIn(child);
}

export function* childrenOf(node: AnyNode): Generator<AnyNode> {
  for (const value of Object.values(node))
    for (const child of Array.isArray(value) ? value : [value])
      if (typeof child?.type === 'string') yield child as AnyNode;
}
