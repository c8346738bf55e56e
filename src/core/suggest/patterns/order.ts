import type { Value } from '../../model/value.ts';
import { readDate, readTimestamp } from '../../values/text.ts';
import { numberIn, type ScalarPlace, scalarsOf } from '../places.ts';
import { isSpan, isToCome } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** What ends does not end before it has begun. */
export const span: Pattern = {
  name: 'span',
  *find(subject) {
    const places = scalarsOf(subject).filter(isOrdered);
    for (const begin of places)
      for (const end of places) {
        if (begin.parent !== end.parent || !isSpan(begin.name, end.name) || !isAlike(begin, end)) continue;
        const reason = 'what ends has begun before';
        if (!begin.isRepeated) yield { text: `${end.path} >= ${begin.path}`, reason };
        else if (begin.parent.endsWith('[*]')) {
          const [from, to] = [begin, end].map(({ path, parent }) => `@${path.slice(parent.length)}`);
          yield { text: `no ${begin.parent.slice(0, -3)}[?${to} < ${from}] exists`, reason };
        }
      }
  },
};

function isOrdered(place: ScalarPlace): boolean {
  const values = place.all;
  return (
    values.every(value => instantOf(value) !== undefined) ||
    values.every(value => numberIn(value) !== undefined)
  );
}

/** Written in one form, they are in the order of their characters too. */
function isAlike(begin: ScalarPlace, end: ScalarPlace): boolean {
  const form = (value: Value) => (typeof value === 'string' ? value.replace(/\d/g, '0') : typeof value);
  return new Set([...begin.all, ...end.all].map(form)).size === 1;
}

function instantOf(value: Value): number | undefined {
  if (typeof value !== 'string') return undefined;
  return (readTimestamp(value) ?? readDate(value))?.milliseconds;
}

/** What runs out has not run out when it comes. */
export const toCome: Pattern = {
  name: 'to come',
  *find(subject) {
    for (const place of scalarsOf(subject)) {
      if (place.isRepeated || !isToCome(place.name)) continue;
      const isLater = place.values.every(([value], at) => {
        const instant = typeof value === 'string' ? readTimestamp(value)?.milliseconds : undefined;
        return instant !== undefined && instant > subject.observations[at]!.at + shortest;
      });
      if (isLater) yield { text: `${place.path} > now()`, reason: 'it has not run out when it comes' };
    }
  },
};

/** In milliseconds: what runs out sooner may have run out when it is looked at. */
const shortest = 30_000;
