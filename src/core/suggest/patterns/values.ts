import { literal, patternLiteral } from '../literal.ts';
import { charactersOf, isVaried, type ScalarPlace, scalarsOf } from '../places.ts';
import { isKey } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** So many values of an enumeration are written out. */
const mostValues = 12;

/** Only what the definition has. */
export const enumeration: Pattern = {
  name: 'enumeration',
  *find(subject) {
    for (const place of scalarsOf(subject)) {
      const values = place.described?.values;
      if (!values || values.length > mostValues) continue;
      const texts = values.map(each => literal(each) ?? '').filter(text => text !== '');
      if (texts.length < values.length) continue;
      const predicate = texts.length === 1 ? `= ${texts[0]}` : `in ${texts.join(', ')}`;
      yield { text: `${ledBy(place)} ${predicate}`, reason: 'the definition has no others' };
    }
  },
};

/** The limits that the definition has. */
export const range: Pattern = {
  name: 'range',
  *find(subject) {
    for (const place of scalarsOf(subject)) {
      const { minimum, maximum, above, below } = place.described ?? {};
      const reason = 'the definition wants it';
      if (minimum !== undefined && maximum !== undefined)
        yield { text: `${ledBy(place)} between ${minimum} and ${maximum}`, reason };
      else if (minimum !== undefined) yield { text: `${ledBy(place)} >= ${minimum}`, reason };
      else if (maximum !== undefined) yield { text: `${ledBy(place)} <= ${maximum}`, reason };
      if (above !== undefined) yield { text: `${ledBy(place)} > ${above}`, reason };
      if (below !== undefined) yield { text: `${ledBy(place)} < ${below}`, reason };
    }
  },
};

/** A word that all items share, such as a unit. */
export const shared: Pattern = {
  name: 'shared',
  *find(subject) {
    const places = scalarsOf(subject);
    for (const place of places) {
      const values = place.all;
      if (!place.isRepeated || place.values.some(own => own.length < 3) || isVaried(values)) continue;
      // Items that are like each other in all share nothing that would tell.
      const beside = places.filter(
        ({ path, parent }) => path !== place.path && (parent === place.parent || path === place.parent),
      );
      if (beside.length === 0 || !beside.every(each => isVaried(each.all))) continue;
      const [value] = values;
      const text = literal(value!);
      // A word stays; what has digits or blanks in it is data.
      if (
        text === undefined ||
        typeof value === 'boolean' ||
        !/^\p{L}[\p{L}/%°²³-]{0,19}$/u.test(charactersOf(value!))
      )
        continue;
      yield { text: `each ${place.path} = ${text}`, reason: 'all of them share it' };
    }
  },
};

/** A code that is always written in the same way. */
export const form: Pattern = {
  name: 'form',
  *find(subject) {
    for (const place of scalarsOf(subject)) {
      const texts = place.all.map(charactersOf);
      const isText = place.all.every(value => typeof value === 'string' || typeof value === 'object');
      const different = new Set(texts).size;
      if (!isText || different < (isKey(place.name) ? 2 : 3)) continue;
      const pattern = formOf(texts);
      if (pattern !== undefined)
        yield { text: `${ledBy(place)} matches /^${pattern}$/`, reason: 'they are written in this way' };
    }
  },
};

export function ledBy({ path, isRepeated }: ScalarPlace): string {
  return isRepeated ? `each ${path}` : path;
}

/** What is the same each time, as it is: only where somebody asks for it, since it may just have been so. */
export const value: Pattern = {
  name: 'value',
  *find(subject) {
    for (const place of scalarsOf(subject)) {
      const all = place.all;
      const text = literal(all[0]!);
      if (text !== undefined && !isVaried(all))
        yield { text: `${ledBy(place)} = ${text}`, reason: 'the same each time' };
    }
  },
};

const longest = 40;
const timeOfDay = /^([01]\d|2[0-3]):[0-5]\d$/;
const instant = /^\d{4}-\d{2}-\d{2}(?:$|T)/;

function repeated(kind: string, count: number): string {
  return count === 1 ? kind : `${kind}{${count}}`;
}

/** A pattern for texts that have digits in the same places, and the same letters or as many of them between. */
function formOf(texts: readonly string[]): string | undefined {
  const all: string[][] = texts.map(text =>
    text.length > longest ? [] : (text.match(/\d+|\p{L}+|[^\d\p{L}]/gu) ?? []),
  );
  const first = all[0]!;
  if (texts.every(text => timeOfDay.test(text))) return timeOfDay.source.slice(1, -1);
  if (!first.some(token => /\d/.test(token)) || texts.every(text => instant.test(text))) return undefined;
  let pattern = '';
  for (const [at, token] of first.entries()) {
    const column = all.map(tokens => tokens[at]);
    const isSame = column.every(each => each === token);
    const isLong = column.every(each => each?.length === token.length);
    if (/\d/.test(token)) {
      if (!isLong || !column.every(each => /^\d+$/.test(each!))) return undefined;
      pattern += repeated('\\d', token.length);
    } else if (isSame) pattern += patternLiteral(token);
    else if (!isLong) return undefined;
    else if (column.every(each => /^[A-Z]+$/.test(each!))) pattern += repeated('[A-Z]', token.length);
    else if (column.every(each => /^[a-z]+$/.test(each!))) pattern += repeated('[a-z]', token.length);
    else return undefined;
  }
  return all.every(tokens => tokens.length === first.length) ? pattern : undefined;
}
