import type { RequestPattern } from './request-pattern.ts';

/** Finds patterns by the path of a request: as many as there are of other paths cost nothing. */
export class PatternIndex<Pattern extends Pick<RequestPattern, 'target'>> {
  readonly #root = new Node<Pattern>();

  add(pattern: Pattern): void {
    let node = this.#root;
    for (const segment of pattern.target.segments)
      node = typeof segment === 'string' ? node.literal(segment) : node.any();
    (pattern.target.rest ? node.further : node.ending).push(pattern);
  }

  /** Those whose path has the same length and the same literal segments. */
  find(segments: readonly string[]): Pattern[] {
    const found: Pattern[] = [];
    collect(this.#root, segments, 0, found);
    return found;
  }
}

/** Walked for every request, so without anything that has to be made on the way. */
class Node<Pattern> {
  readonly ending: Pattern[] = [];
  /** Those that go on with any number of segments. */
  readonly further: Pattern[] = [];
  readonly literals = new Map<string, Node<Pattern>>();
  pattern: Node<Pattern> | undefined;

  literal(segment: string): Node<Pattern> {
    let node = this.literals.get(segment);
    if (!node) {
      node = new Node();
      this.literals.set(segment, node);
    }
    return node;
  }

  any(): Node<Pattern> {
    this.pattern ??= new Node();
    return this.pattern;
  }
}

function collect<Pattern>(
  node: Node<Pattern>,
  segments: readonly string[],
  at: number,
  found: Pattern[],
): void {
  if (at === segments.length) {
    for (const each of node.ending) found.push(each);
    return;
  }
  for (const each of node.further) found.push(each);
  const literal = node.literals.size > 0 ? node.literals.get(segments[at]!) : undefined;
  if (literal) collect(literal, segments, at + 1, found);
  if (node.pattern) collect(node.pattern, segments, at + 1, found);
}
