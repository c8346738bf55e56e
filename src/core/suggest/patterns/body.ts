import { Missing } from '../../model/value.ts';
import type { Pattern } from './pattern.ts';

/** Of a body that is no document: that there is one. */
export const body: Pattern = {
  name: 'body',
  *find({ json, xml, observations }) {
    if (json || xml || !observations.every(({ response }) => response.hasContent)) return;
    const isText = observations.every(
      ({ response: { body: text, contentType } }) =>
        !(text instanceof Missing) && /^text\//i.test(contentType ?? ''),
    );
    if (observations.every(({ response }) => /html/i.test(response.contentType ?? '')))
      for (const name of ['title', 'h1'])
        yield { text: `html("${name}") is not empty`, reason: 'the page says what it is' };
    if (isText) yield { text: 'body is not empty', reason: 'something is in it' };
    else yield { text: 'size > 0 B', reason: 'something is in it' };
  },
};

/** In milliseconds. */
const shortestLimit = 200;
/** How much longer than the slowest answer one may take. */
const margin = 10;

/** A limit with the margin that was seen. */
export const time: Pattern = {
  name: 'time',
  *find({ observations }) {
    const slowest = Math.max(...observations.map(({ response }) => response.received.time));
    const wanted = Math.max(shortestLimit, slowest * margin);
    const power = 10 ** Math.floor(Math.log10(wanted));
    const limit = [1, 2, 5, 10].map(step => step * power).find(each => each >= wanted)!;
    const text = limit >= 1000 && limit % 1000 === 0 ? `${limit / 1000} s` : `${limit} ms`;
    yield { text: `time < ${text}`, reason: `the slowest took ${Math.ceil(slowest)} ms` };
  },
};
