import { Excerpt } from '../model/source.ts';

/** Where something stands, and what is told apart from it. */
const places = /range$|^(?:lines|extent|fences|examples|exampleOf|source|findings|unread)$/i;

/** What a page, or a part of one, says, wherever it stands: to see that what was written into it added nothing else. */
export function signature(what: unknown): string {
  return JSON.stringify(what, (name, value) => {
    if (places.test(name)) return undefined;
    if (value instanceof Excerpt) return value.text;
    return value instanceof Map ? [...value] : value;
  });
}
