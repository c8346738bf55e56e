import { isMadeOfSecret } from '../../language/evaluation-context.ts';
import type { Value } from '../../model/value.ts';
import { partPath } from '../../replay/changes/json-changes.ts';
import { equal, equalInAnyOrder } from '../../values/compare.ts';
import { isNumeric } from '../../values/number.ts';
import { isOpen } from '../../values/open-value.ts';
import type { Candidate } from '../candidate.ts';
import type { Origin } from '../origins.ts';
import { charactersOf, isVaried, numberIn, type ScalarPlace, scalarsOf } from '../places.ts';
import type { Subject } from '../subject.ts';
import { agree, isKey } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** What was sent or kept comes back. */
export const echo: Pattern = {
  name: 'echo',
  *find(subject, origins) {
    const places = scalarsOf(subject);
    for (const place of places) {
      const best = bestOf(place, places, origins, isEqual);
      if (!best) continue;
      const text = isTextOf(place, best) ? `"${best.text}"` : best.text;
      yield { text: `${place.isRepeated ? 'each ' : ''}${place.path} = ${text}`, reason: asIn(best) };
    }
    yield* echoedLists(subject);
    yield* echoedHeaders(subject, origins);
  },
};

function asIn({ text, words, isName }: Origin): string {
  if (isName) return `equal to ${words}`;
  return text.startsWith('sent ') ? 'as it was sent' : `as asked for: ${words}`;
}

/** A list that was sent or kept, in its order or in another. */
function* echoedLists({ json, observations }: Subject): Generator<Candidate> {
  for (const part of json?.all() ?? []) {
    if (part.isRepeated || !part.values.every(([list]) => Array.isArray(list) && list.length > 1)) continue;
    for (const name of observations[0]!.bound.keys()) {
      const lists = observations.map(({ bound }) => bound.get(name));
      if (!lists.every(entry => entry && !isMadeOfSecret(entry) && isListOf(entry.value))) continue;
      const all = part.values.map(([list], at) => [list as Value[], lists[at]!.value as Value[]] as const);
      const path = partPath(part.way);
      if (all.every(([a, b]) => equal(a, b) === true))
        yield { text: `${path} = {${name}}`, reason: `equal to {${name}}` };
      else if (all.every(([a, b]) => equalInAnyOrder(a, b)))
        yield { text: `${path} = {${name}} in any order`, reason: `the items of {${name}}` };
    }
  }
}

function isListOf(value: Value): boolean {
  return !isOpen(value) && Array.isArray(value);
}

/** The same in a header. */
function* echoedHeaders({ observations }: Subject, origins: readonly Origin[]): Generator<Candidate> {
  const names = observations[0]!.response.headerNames();
  for (const { text, values, words, isName } of origins) {
    if (!isName || !values.every(isRare)) continue;
    const name = names.find(each =>
      observations.every(({ response }, at) => response.headerValues(each)[0] === charactersOf(values[at]!)),
    );
    if (name) yield { text: `header ${name} = ${text}`, reason: `equal to ${words}` };
  }
}

/** What a list is chosen by holds for all of its items: they are at least, or at most, what was asked for. */
export const limit: Pattern = {
  name: 'limit',
  *find(subject, origins) {
    for (const place of scalarsOf(subject)) {
      if (!place.isRepeated) continue;
      for (const origin of origins) {
        if (!origin.isSent || !agree(origin.name, place.name)) continue;
        const operator = (['>=', '<='] as const).find(each => keepsTo(place, origin, each));
        if (!operator) continue;
        yield {
          text: `each ${place.path} ${operator} ${origin.text}`,
          reason: `none is ${operator === '>=' ? 'below' : 'above'} ${origin.words}`,
        };
        break;
      }
    }
  },
};

function keepsTo(place: ScalarPlace, { values }: Origin, operator: '>=' | '<='): boolean {
  return (
    isVaried(place.all) &&
    place.values.every((own, at) => {
      const asked = numberIn(values[at]);
      return (
        asked !== undefined &&
        own.every(value => {
          const number = numberIn(value);
          return number !== undefined && (operator === '>=' ? number >= asked : number <= asked);
        })
      );
    })
  );
}

/** What was made, kept or asked for is in the list. */
export const member: Pattern = {
  name: 'member',
  *find(subject, origins) {
    for (const place of scalarsOf(subject)) {
      if (!place.isRepeated || !isKey(place.name) || !isVaried(place.all)) continue;
      const origin = origins.find(
        ({ values, isName }) =>
          isName &&
          values.every(isRare) &&
          place.values.every((own, at) =>
            own.some(value => charactersOf(value) === charactersOf(values[at]!)),
          ),
      );
      if (origin)
        yield { text: `some ${place.path} = ${origin.text}`, reason: `${origin.words} is among them` };
    }
  },
};

/** A text for people names what was asked for. */
export const mention: Pattern = {
  name: 'mention',
  *find(subject, origins) {
    for (const place of scalarsOf(subject)) {
      if (place.isRepeated || !place.values.every(([value]) => isSentence(value!))) continue;
      const named = origins.filter(({ values }) =>
        place.values.every(([value], at) => namesIt(charactersOf(value!), charactersOf(values[at]!))),
      );
      const best = named.find(({ isName }) => isName) ?? named[0];
      if (best) yield { text: `${place.path} contains ${asText(best)}`, reason: `it names ${best.words}` };
    }
  },
};

function isSentence(value: Value): boolean {
  return typeof value === 'string' && /\S\s\S/.test(value);
}

/** A word may be there by accident, but for one in quotes; what has digits in it is not. */
function namesIt(sentence: string, value: string): boolean {
  if (value.length < 3 || value === sentence) return false;
  if (/\d/.test(value)) return sentence.includes(value);
  return [`'${value}'`, `"${value}"`, `\`${value}\``, `“${value}”`].some(each => sentence.includes(each));
}

function asText({ text, values, isName }: Origin): string {
  if (isName) return values.every(value => typeof value === 'string') ? text : `"${text}"`;
  return text.startsWith('"') || text.startsWith('sent ') ? text : `"${text}"`;
}

type Equal = (value: Value, other: Value) => boolean;

/** What there are only two or three of is equal by accident, unless it changes too. */
function isEqual(value: Value, other: Value): boolean {
  return charactersOf(value) === charactersOf(other);
}

function isTelling({ all }: ScalarPlace): boolean {
  return all.some(value => value !== null && typeof value !== 'boolean') || isVaried(all);
}

/** A number that was kept may stand in an answer as a text. */
function isTextOf(place: ScalarPlace, { values, isName }: Origin): boolean {
  const isText = place.all.every(value => typeof value === 'string');
  return isName && isText && values.some(isNumeric);
}

/** What a place most likely has its value from: where names agree, where values change together, or where nothing else is like it. */
function bestOf(
  place: ScalarPlace,
  places: readonly ScalarPlace[],
  origins: readonly Origin[],
  equal: Equal,
): Origin | undefined {
  let best: { origin: Origin; score: number } | undefined;
  for (const origin of origins) {
    // What all items of a list have may just be so, unless it was asked for.
    if ((place.isRepeated && !origin.isSent) || !isTelling(place)) continue;
    if (!place.values.every((own, at) => own.every(value => equal(value, origin.values[at]!)))) continue;
    const isNamed = agree(origin.name, place.name);
    const score = (isNamed ? 4 : 0) + (origin.isName ? 2 : 0) + (isVaried(origin.values) ? 1 : 0);
    const isCertain = isNamed || isVaried(origin.values) || isAlone(place, places);
    if (isCertain && (!best || score > best.score)) best = { origin, score };
  }
  return best?.origin;
}

/** Whether a value is such that it is hardly there by accident, and stands in no other place. */
function isAlone(place: ScalarPlace, places: readonly ScalarPlace[]): boolean {
  const own = place.values[0]![0]!;
  if (!isRare(own)) return false;
  return places.every(
    other => other === place || other.values[0]!.every(value => charactersOf(value) !== charactersOf(own)),
  );
}

function isRare(value: Value): boolean {
  return /\d\D*\d\D*\d|^.{5,}$/s.test(charactersOf(value));
}
