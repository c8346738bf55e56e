import { memberStep } from '../../language/looked-at.ts';
import { isObject, type Value } from '../../model/value.ts';
import type { ResponseView } from '../../steps/http/response-view.ts';
import { counted } from '../../text/words.ts';
import { equalJson } from '../../values/compare.ts';
import {
  DocumentPart,
  type PartStep,
  placeOf,
  valueAt,
  type Way,
  withValueAt,
} from '../../values/document-parts.ts';
import type { Chance, Change, ChangeKind } from './change.ts';
import { DocumentView } from './changed-view.ts';
import { otherValues } from './value-changes.ts';

/** A member that nobody would expect. */
const added = 'mervok-added';

/** As a page writes it: `$.berths[*].code`. */
export function partPath(way: readonly PartStep[]): string {
  return `$${way.map(step => (step === undefined ? '[*]' : memberStep(step))).join('')}`;
}

/**
 * What may be wrong in a JSON document, one thing at a time. Items of a list count as one place: which of them is changed,
 * chance says.
 */
export function* jsonChanges(
  view: ResponseView,
  document: Value,
  chance: Chance | undefined,
): Generator<Change> {
  for (const part of DocumentPart.of([document]).all()) yield* changesOf(part, view, document, chance);
}

function* changesOf(
  part: DocumentPart,
  view: ResponseView,
  document: Value,
  chance: Chance | undefined,
): Generator<Change> {
  const [values = []] = part.values;
  const at = partPath(part.way);
  const pick = chance && ((count: number) => Math.floor(chance() * count));
  const find = (accepts: (value: Value) => boolean) => placeOf(document, part.way, accepts, pick);
  const way = find(value => value !== null) ?? find(() => true);
  if (!way) return;
  const change = (
    kind: ChangeKind,
    words: () => string,
    other: Value | undefined,
    where: Way = way,
  ): Change => ({
    kind,
    at,
    words,
    apply: () => new DocumentView(view, withValueAt(document, where, other) ?? null),
  });
  const value = valueAt(document, way)!;
  // The document as a whole is what a changed body is about.
  if (way.length > 0)
    for (const { kind, words, value: other } of otherValues(value, values)) {
      // An item that is gone is a list that is shorter.
      if (kind !== 'gone' || part.way.at(-1) !== undefined) yield change(kind, words, other);
    }
  const listWay = find(each => Array.isArray(each) && each.length > 0);
  if (listWay) {
    const list = valueAt(document, listWay) as Value[];
    for (const [kind, words, other] of otherLists(list)) yield change(kind, words, other, listWay);
  }
  const objectWay = find(isObject);
  if (objectWay) {
    const object = valueAt(document, objectWay) as { [name: string]: Value };
    yield change('added', () => `gets a member '${added}'`, { ...object, [added]: true }, objectWay);
  }
}

function* otherLists(list: readonly Value[]): Generator<[ChangeKind, () => string, Value[]]> {
  const items = () => counted(list.length, 'item');
  yield ['empty', () => `${items()} become none`, []];
  if (list.length > 1) yield ['shorter', () => `${items()} become ${list.length - 1}`, list.slice(0, -1)];
  yield ['longer', () => `${items()} become ${list.length + 1}, the last one twice`, [...list, list.at(-1)!]];
  const turned = list.toReversed();
  if (list.length > 1 && !equalJson(turned[0]!, list[0]!))
    yield ['order', () => 'its items come in another order', turned];
}
