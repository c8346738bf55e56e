import { Missing } from '../../model/value.ts';
import { literal, textLiteral } from '../literal.ts';
import { charactersOf, scalarsOf } from '../places.ts';
import { isKey } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** The status, which is what a request is most likely about. */
export const status: Pattern = {
  name: 'status',
  *find({ observations }) {
    const all = new Set(observations.map(({ response }) => response.received.status));
    const [first] = all;
    if (all.size === 1) yield { text: `status = ${first}`, reason: 'the same each time' };
    else if (new Set([...all].map(each => Math.floor(each / 100))).size === 1)
      yield { text: `status is ${String(first)[0]}xx`, reason: 'its class is the same each time' };
  },
};

/** What kind of body it is, without what may be said of it besides. */
export const mediaType: Pattern = {
  name: 'media type',
  *find({ observations }) {
    const all = new Set(observations.map(({ response }) => response.contentType?.replace(/\s*;.*/s, '')));
    const [type] = all;
    if (type !== undefined && all.size === 1)
      yield { text: `header content-type starts with ${textLiteral(type)}`, reason: 'the media type' };
  },
};

/** What the body of a problem says (RFC 9457): the status that it came with, and a title that is the same each time. */
export const problem: Pattern = {
  name: 'problem',
  *find(subject) {
    if (!/problem\+json/i.test(subject.contentType ?? '')) return;
    for (const name of ['status', 'type', 'title']) {
      const value = subject.json?.members.get(name)?.values[0]?.[0];
      if (value === undefined) continue;
      if (name === 'status')
        yield { text: '$.status = status', reason: 'a problem tells its status (RFC 9457)' };
      else
        yield {
          text: `$.${name} = ${literal(value)}`,
          reason: 'the same for all problems of a kind (RFC 9457)',
        };
    }
  },
};

/** Headers that have to be there. */
export const header: Pattern = {
  name: 'header',
  *find({ first, described, observations }) {
    const isThere = (name: string) =>
      observations.every(({ response }) => response.headerValues(name).length > 0);
    for (const [name, { required }] of described?.headers ?? [])
      if (required && isThere(name))
        yield { text: `header ${name} exists`, reason: 'the definition wants it' };
    const { status: code } = first.received;
    if ((code === 201 || code === 202 || (code >= 300 && code < 400)) && isThere('location'))
      yield { text: 'location exists', reason: 'it says where to go' };
    if (isThere('etag')) yield { text: 'header etag exists', reason: 'states can be told apart by it' };
    if (isThere('www-authenticate'))
      yield { text: 'header www-authenticate exists', reason: 'it says how to sign in' };
  },
};

/** A Location that ends with the id of what was made. */
export const location: Pattern = {
  name: 'location',
  *find(subject, origins) {
    const ends = subject.observations.map(({ response: { location: where } }) =>
      where instanceof Missing ? undefined : /\/([^/?#]+)$/.exec(where[0]!)?.[1],
    );
    if (ends.includes(undefined)) return;
    const known = [
      ...scalarsOf(subject).flatMap(({ path, name, values, isRepeated }) =>
        isRepeated ? [] : [{ text: path, name, values: values.map(([value]) => value!) }],
      ),
      ...origins.filter(({ isName }) => isName),
    ];
    const isLong = ends.every(each => each!.length >= 3);
    const end = known.find(
      ({ name, values }) =>
        (isLong || isKey(name)) && values.every((value, at) => charactersOf(value) === ends[at]),
    );
    if (end)
      yield { text: String.raw`location /([^\/]+)$/ = ${end.text}`, reason: `it ends with ${end.text}` };
  },
};
