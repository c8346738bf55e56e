import { pathStep } from '../../../language/jsonpath/match.ts';
import { isObject, type Kind, kindInWords, kindOf, type Value } from '../../../model/value.ts';
import { isOpen } from '../../../values/open-value.ts';

/** What a document is made of: the kinds that stand in one place, members by their names, and what all items have in common. */
export interface Shape {
  readonly kinds: ReadonlySet<Kind>;
  /** Whether any kind may stand here. */
  readonly isOpen: boolean;
  /** Of objects, if there is one. */
  readonly members?: ReadonlyMap<string, Shape>;
  /** Of lists, if one of them has any. */
  readonly items?: Shape;
}

/** A part of a document that is not as an example shows it. */
export interface ShapeDifference {
  /** `$.berths[*].state` */
  readonly at: string;
  readonly expected: string;
  readonly found: string;
}

const none: Shape = { kinds: new Set(), isOpen: false };

export function shapeOf(value: Value): Shape {
  if (isOpen(value)) return { ...none, isOpen: true };
  const kinds = new Set([kindOf(value)]);
  if (Array.isArray(value)) {
    const items = unionOf(value.map(shapeOf));
    return { kinds, isOpen: false, ...(items && { items }) };
  }
  if (!isObject(value)) return { kinds, isOpen: false };
  const members = new Map(Object.entries(value).map(([name, each]) => [name, shapeOf(each)]));
  return { kinds, isOpen: false, members };
}

/** Nothing for no shapes at all. */
export function unionOf(shapes: readonly Shape[]): Shape | undefined {
  if (shapes.length < 2) return shapes[0];
  const members = new Map<string, Shape[]>();
  const hasMembers = shapes.some(each => each.members);
  for (const { members: own = [] } of shapes)
    for (const [name, shape] of own) {
      const known = members.get(name);
      if (known) known.push(shape);
      else members.set(name, [shape]);
    }
  const items = unionOf(shapes.flatMap(each => each.items ?? []));
  return {
    kinds: new Set(shapes.flatMap(({ kinds }) => [...kinds])),
    isOpen: shapes.some(each => each.isOpen),
    ...(hasMembers && { members: new Map([...members].map(([name, all]) => [name, unionOf(all)!])) }),
    ...(items && { items }),
  };
}

/**
 * What of a document is not as an example shows it: members that are gone or new, and other kinds.
 * @param all of what examples of the same answer show: null beside a kind in one of them is none in the others
 */
export function differencesOf(example: Shape, all: Shape, found: Shape, at = '$'): ShapeDifference[] {
  if (example.isOpen) return [];
  const differences: ShapeDifference[] = [];
  if (!isOfKinds(example, all, found))
    differences.push({ at, expected: kindsInWords(example), found: kindsInWords(found) });
  if (example.members && found.members) {
    for (const [name, shape] of example.members) {
      const own = found.members.get(name);
      const step = at + pathStep(name);
      if (own) differences.push(...differencesOf(shape, all.members?.get(name) ?? shape, own, step));
      else differences.push({ at: step, expected: kindsInWords(shape), found: 'nothing: it is gone' });
    }
    for (const [name, shape] of found.members)
      if (!example.members.has(name))
        differences.push({
          at: at + pathStep(name),
          expected: 'nothing',
          found: `${kindsInWords(shape)}: it is new`,
        });
  }
  // Of a list without items nobody knows what they are.
  if (example.items && found.items)
    differences.push(...differencesOf(example.items, all.items ?? example.items, found.items, `${at}[*]`));
  return differences;
}

function isOfKinds(example: Shape, all: Shape, found: Shape): boolean {
  const wanted = withoutNull(example.kinds);
  const own = withoutNull(found.kinds);
  if (own.length === 0) return example.kinds.has('null') || all.kinds.has('null');
  if (wanted.length === 0)
    return found.kinds.has('null') || withoutNull(all.kinds).some(kind => own.includes(kind));
  return own.every(kind => wanted.includes(kind));
}

function withoutNull(kinds: ReadonlySet<Kind>): Kind[] {
  return [...kinds].filter(kind => kind !== 'null');
}

function kindsInWords({ kinds, isOpen }: Shape): string {
  return isOpen ? 'a value' : [...kinds].map(kindInWords).join(' or ');
}
