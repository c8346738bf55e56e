import { operationKinds } from '../steps/kinds.ts';
import type { OperationKind } from '../steps/step.ts';
import { editDistance } from '../text/words.ts';

/** What a fence is to Mervok, from the words behind its marks. */
export type FenceUse =
  | { readonly use: 'prose' }
  | { readonly use: 'statements' }
  | { readonly use: 'settings' }
  | { readonly use: 'operation'; readonly kind: OperationKind }
  /** Belongs to the operation right above it, by the two words that say how. */
  | { readonly use: 'attached'; readonly words: string; readonly more: string }
  /** `json schema NAME`, `csv rows NAME`: for the whole page, by their names. */
  | { readonly use: 'schema'; readonly name: string }
  | { readonly use: 'rows'; readonly name: string }
  | { readonly use: 'later'; readonly form: string }
  | { readonly use: 'slip'; readonly meant: string };

/** Languages one edit away from an active word, which are what they say. */
const innocent = new Set([
  'https',
  'html',
  'htm',
  'hcl',
  'httpd',
  'htmx',
  'php',
  'sh',
  'sql',
  'js',
  'bash',
  'text',
  'json',
  'xml',
  'yaml',
  'csv',
  'form',
  'file',
]);

/** What stands behind a body's two words. */
const attachedMore = new Map([['body', 'crlf']]);

/** Kinds of operations that are opened by one word, and those that are by two. */
const byWords = new Map(operationKinds.map(kind => [kind.fence, kind]));
const attached = new Set(operationKinds.flatMap(({ attachments }) => Object.keys(attachments)));
/** Fences that are to come. */
const later = new Set(['sql step', 'sh step', 'js step'].filter(words => !byWords.has(words)));

/** The second words that mean something behind a first one. */
const pairs = new Map<string, string[]>();
for (const words of [...attached, 'json schema', 'yaml settings', 'csv rows', ...later, ...byWords.keys()]) {
  const [first = '', second] = words.split(' ');
  if (second !== undefined) pairs.set(first, [...(pairs.get(first) ?? []), second]);
}

const firstWords = [...[...byWords.keys()].filter(words => !words.includes(' ')), 'mervok'];

export function useOfFence(info: string): FenceUse {
  const [first = '', second = '', third = ''] = info.split(/\s+/);
  const single = byWords.get(first);
  if (single)
    return second === 'prose'
      ? { use: 'prose' }
      : second !== '' && editDistance(second, 'prose') <= 2
        ? { use: 'slip', meant: `${first} prose` }
        : { use: 'operation', kind: single };
  if (first === 'mervok') return { use: 'statements' };
  if (!innocent.has(first.toLowerCase())) {
    const meant = firstWords.find(word => first !== '' && editDistance(first.toLowerCase(), word) <= 1);
    if (meant !== undefined) return { use: 'slip', meant };
  }
  const seconds = pairs.get(first);
  if (!seconds || second === '') return { use: 'prose' };
  if (!seconds.includes(second)) {
    const meant = seconds.find(word => editDistance(second.toLowerCase(), word) <= 1);
    return meant === undefined ? { use: 'prose' } : { use: 'slip', meant: `${first} ${meant}` };
  }
  const words = `${first} ${second}`;
  const kind = byWords.get(words);
  if (kind) return { use: 'operation', kind };
  if (attached.has(words)) {
    const more = attachedMore.get(second);
    return more !== undefined && third !== '' && third !== more
      ? { use: 'slip', meant: `${words} ${more}` }
      : { use: 'attached', words, more: third };
  }
  if (later.has(words)) return { use: 'later', form: words };
  if (words === 'yaml settings') return { use: 'settings' };
  return { use: words === 'json schema' ? 'schema' : 'rows', name: third };
}
