import type { ResponseView } from '../../steps/http/response-view.ts';
import type { Change } from './change.ts';
import { withOther } from './changed-view.ts';

/** What may be wrong with the status: it says something else of how the request went. */
export function statusChange(view: ResponseView): Change {
  const { status } = view.received;
  const [other, reason] = status < 300 ? [500, 'Internal Server Error'] : [200, 'OK'];
  return {
    kind: 'status',
    at: 'status',
    words: () => `${status} becomes ${other}`,
    apply: () => withOther(view, { status: other, reason }),
  };
}

/** @param names of headers that somebody expects, in lower case */
export function* headerChanges(view: ResponseView, names: Iterable<string>): Generator<Change> {
  const { headers } = view.received;
  for (const name of names) {
    const isMeant = ([each]: readonly [string, string]) => each.toLowerCase() === name;
    if (!headers.some(isMeant)) continue;
    const others = headers.filter(each => !isMeant(each));
    yield {
      kind: 'gone',
      at: `header ${name}`,
      words: () => 'is gone',
      apply: () => withOther(view, { headers: others }),
    };
    const value = otherHeader(name, view.headerValues(name).join(', '));
    yield {
      kind: 'changed',
      at: `header ${name}`,
      words: () => `becomes '${value}'`,
      apply: () => withOther(view, { headers: [...others, [name, value]] }),
    };
    if (name === 'link' && !Array.isArray(view.field('link', 'next')))
      yield {
        kind: 'changed',
        at: `header ${name}`,
        words: () => 'names a next page',
        apply: () => withOther(view, { headers: [...headers, [name, '<?page=next>; rel="next"']] }),
      };
  }
}

/** Something else of the same form. */
function otherHeader(name: string, value: string): string {
  if (name === 'content-type') return /json/.test(value) ? 'text/html' : 'application/json';
  if (name === 'location') return value.replace(/[^/]*$/, 'elsewhere');
  return value.replace(/[a-z\d](?=[^a-z\d]*$)/i, char => (char === 'x' ? 'y' : 'x'));
}

const bodyless = Buffer.alloc(0);

export function* bodyChanges(view: ResponseView): Generator<Change> {
  const { body } = view.received;
  if (body.length === 0) return;
  yield {
    kind: 'empty',
    at: 'body',
    words: () => 'is empty',
    apply: () => withOther(view, { body: bodyless, size: 0 }),
  };
  if (body.length === 1) return;
  const half = body.subarray(0, body.length >> 1);
  yield {
    kind: 'cut',
    at: 'body',
    words: () => 'is cut in its middle',
    apply: () => withOther(view, { body: half, size: half.length }),
  };
}
