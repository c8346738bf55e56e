import { slugOf } from '../plain-text.ts';
import { singularOf } from '../singular.ts';

// What the names of a recording are about, so that a short number is taken for the right thing.

/** Words that say that something is named, not what. */
const naming = /(?:^|-)(?:id|uuid|guid|key|slug|token|ref|code|no|number)$/;

/** What a name is about: `order` for `orders`, `orderId` and `order_ids`; nothing for `id`. */
function subjectOf(name: string): string | undefined {
  const subject = singularOf(slugOf(name, '')).replace(naming, '');
  return subject === '' ? undefined : subject;
}

/** What a value is of: its own name says it, or else the names around it do, the nearest first. */
export function subjectsOf(name: string, around: readonly string[]): string[] {
  const own = subjectOf(name);
  return own === undefined ? around.flatMap(each => subjectOf(each) ?? []) : [own];
}

/** Whether two subjects may be the same thing: `cart-item` and `item` may. */
export function isSameSubject(one: string, other: string): boolean {
  return one === other || one.endsWith(`-${other}`) || other.endsWith(`-${one}`);
}

/** What a segment of a path is of, by the words right before it: `edit`, `order` for the last of `/orders/edit/7`. */
export function subjectsBefore(segments: readonly string[], at: number): string[] {
  return wordsBefore(segments, at).flatMap(each => subjectOf(each) ?? []);
}

/** The last words of a path that stand together, the last one first: what a request is about. */
export function pathWords(url: string): string[] {
  const segments = new URL(url).pathname.split('/').map(part => part.replace(/\.\w{1,5}$/, ''));
  return wordsBefore(segments, segments.findLastIndex(isWord) + 1);
}

function wordsBefore(segments: readonly string[], at: number): string[] {
  const first = segments.findLastIndex((segment, place) => place < at && !isWord(segment)) + 1;
  return segments.slice(first, at).reverse();
}

function isWord(segment: string): boolean {
  return /^[A-Za-z][A-Za-z_-]*$/.test(segment);
}
