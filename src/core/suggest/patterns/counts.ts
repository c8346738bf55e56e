import type { Candidate } from '../candidate.ts';
import type { Origin } from '../origins.ts';
import { type ListPlace, listsOf, numberIn, type ScalarPlace, scalarsOf } from '../places.ts';
import type { Subject } from '../subject.ts';
import { agree, isCount, isLimit } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** A number is that of the items of a list. */
export const count: Pattern = {
  name: 'count',
  *find(subject) {
    const lists = listsOf(subject).filter(({ isRepeated }) => !isRepeated);
    for (const place of scalarsOf(subject)) {
      if (place.isRepeated) continue;
      const equal = lists.filter(list => isCountOf(place, list));
      const near = equal.find(({ path }) => path.startsWith(`${place.parent}.`)) ?? equal[0];
      if (near) yield { text: `${place.path} = count ${near.items}`, reason: 'it is how many there are' };
    }
  },
};

function isCountOf(place: ScalarPlace, { lengths, name }: ListPlace): boolean {
  const all = lengths.map(([length]) => length!);
  if (!place.values.every(([value], at) => numberIn(value) === all[at])) return false;
  const isVaried = new Set(all).size > 1;
  // One of one is no more than a coincidence.
  if (!isVaried && all[0]! < 2) return false;
  return isVaried || isCount(place.name) || agree(place.name, name);
}

/** A list is no longer than what was asked for; where there is a next page, it is as long. */
export const page: Pattern = {
  name: 'page',
  *find(subject, origins) {
    for (const { lengths, items, isRepeated } of listsOf(subject)) {
      if (isRepeated || lengths.some(([length]) => length! < 2)) continue;
      for (const origin of origins)
        if (origin.isSent && isLimit(origin.name)) {
          const found = pageOf(subject, lengths, items, origin);
          if (!found) continue;
          yield found;
          break;
        }
    }
  },
};

function pageOf(
  { observations }: Subject,
  lengths: ListPlace['lengths'],
  items: string,
  { values, text, words }: Origin,
): Candidate | undefined {
  const asked = values.map(numberIn);
  const holds = (is: (length: number, most: number) => boolean) =>
    lengths.every(([length], at) => asked[at] !== undefined && is(length!, asked[at]));
  if (!holds((length, most) => length <= most)) return undefined;
  const hasNext = observations.every(({ response }) => Array.isArray(response.field('link', 'next')));
  if (hasNext && holds((length, most) => length === most))
    return { text: `count ${items} = ${text}`, reason: `a full page, since there is a next one: ${words}` };
  return { text: `count ${items} <= ${text}`, reason: `no more than ${words}` };
}

/** What a page says of its neighbours. */
export const neighbour: Pattern = {
  name: 'neighbour',
  *find({ observations }) {
    const has = (relation: string) =>
      observations.every(({ response }) => Array.isArray(response.field('link', relation)));
    for (const relation of ['next', 'prev', 'first', 'last'])
      if (has(relation))
        yield { text: `link ${relation} exists`, reason: 'it says where its neighbours are' };
    const isItself = (relation: string) =>
      observations.every(({ response }) => {
        const [target] = [response.field('link', relation)].flat();
        return typeof target === 'string' && target === response.received.url;
      });
    if (!has('next') && isItself('last')) yield { text: 'link next absent', reason: 'it is the last page' };
    if (!has('prev') && (isItself('first') || has('next')))
      yield { text: 'link prev absent', reason: 'it is the first page' };
  },
};
