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
  /** `json schema NAME`, `csv rows NAME`, `sql rows NAME …`: for the whole page, by their names. */
  | { readonly use: 'schema'; readonly name: string }
  | { readonly use: 'rows'; readonly name: string }
  | { readonly use: 'asked-rows'; readonly name: string }
  | { readonly use: 'slip'; readonly meant: string };

/** Languages one edit away from an active word, which are what they say. */
const innocent = new Set('https html htm hcl httpd htmx php'.split(' '));

/** What stands behind a body's two words. */
const attachedMore = new Map([['body', 'crlf']]);

/** Kinds of operations that are opened by one word, and those that are by two. */
const byWords = new Map(operationKinds.map(kind => [kind.fence, kind]));
const attached = new Set(operationKinds.flatMap(({ attachments }) => Object.keys(attachments)));

const single = [...byWords.keys()].filter(words => !words.includes(' '));
const firstWords = [...single, 'mervok'];
/** Every fence that is known by two words. */
const pairs = [
  ...new Set([...attached, 'json schema', 'yaml settings', 'csv rows', 'sql rows', ...byWords.keys()]),
].filter(words => words.includes(' '));
const seconds = new Set(pairs.map(words => words.split(' ')[1]!));

export function useOfFence(info: string): FenceUse {
  const [first = '', second = '', third = ''] = info.split(/\s+/);
  if (second === 'prose') return { use: 'prose' };
  const kind = byWords.get(first);
  if (kind)
    return second !== '' && editDistance(second, 'prose') <= 2
      ? { use: 'slip', meant: `${first} prose` }
      : { use: 'operation', kind };
  if (first === 'mervok') return { use: 'statements' };
  const words = `${first} ${second}`;
  if (!pairs.includes(words)) {
    const meant = firstMeant(first) ?? pairMeant(info);
    return meant === undefined ? { use: 'prose' } : { use: 'slip', meant };
  }
  const ofTwo = byWords.get(words);
  if (ofTwo) return { use: 'operation', kind: ofTwo };
  if (attached.has(words)) {
    const more = attachedMore.get(second);
    return more !== undefined && third !== '' && third !== more
      ? { use: 'slip', meant: `${words} ${more}` }
      : { use: 'attached', words, more: third };
  }
  if (words === 'yaml settings') return { use: 'settings' };
  if (words === 'sql rows') return { use: 'asked-rows', name: third };
  return { use: words === 'json schema' ? 'schema' : 'rows', name: third };
}

/** What a single word is meant for that is nearly one of those that are known. */
function firstMeant(first: string): string | undefined {
  const word = first.toLowerCase().replace(/[:,;]$/, '');
  if (word === '' || innocent.has(word)) return undefined;
  return firstWords.find(known => editDistance(word, known) <= 1);
}

/** The two words that are meant: in another case, joined, the other way round, or with a letter that is wrong. */
function pairMeant(info: string): string | undefined {
  const words = info
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(word => word !== '')
    .slice(0, 2);
  const [first = '', second = ''] = words;
  const joined = words.join('');
  const candidates = [
    ...pairs.filter(pair => editDistance(first + second, pair.replace(' ', '')) <= 1),
    ...pairs.filter(pair => editDistance(second + first, pair.replace(' ', '')) <= 1),
    // One word that two of them are written as, with a third behind it.
    ...pairs.filter(pair => first === pair.replace(' ', '')),
  ];
  if (joined === '' || (first === 'http' && second !== '')) return undefined;
  if (candidates.length > 0) return candidates[0];
  // `html body`, `yaml variables`: nothing else can be meant by the second word.
  const ofSecond = pairs.filter(pair => pair.endsWith(` ${second}`));
  if (!seconds.has(second) || second === 'step' || !(second === 'body' || dataWords.has(first)))
    return undefined;
  return second === 'body' ? 'text body' : ofSecond[0];
}

/** Languages of data: beside a word that is known, one of them was meant to say what the fence holds. */
const dataWords = new Set('json yaml yml csv xml form text toml tsv'.split(' '));

/** Fences that would be a body if `body` stood behind them; alone they are prose. */
const bodiesAlone = new Map([
  ['graphql', 'graphql body'],
  ['gql', 'graphql body'],
  ['form', 'form body'],
  ['multipart', 'multipart body'],
  ['body', 'json body'],
  ['variables', 'json variables'],
  ['query', 'form query'],
]);

/** What fences are called elsewhere that hold a request, or what must hold. */
const wordsElsewhere: readonly (readonly [words: ReadonlySet<string>, meant: string, content: RegExp])[] = [
  [
    new Set('request requests req rest api call http-request httprequest'.split(' ')),
    'http',
    /^\s*(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS)\s+\S/,
  ],
  [
    new Set(
      'check checks assert asserts assertion assertions expect expects expectations test tests'.split(' '),
    ),
    'mervok',
    /^\s*(?:status|header|body|time|size|\$|count|each|keep)\b|^\s*\$/,
  ],
  [new Set(['settings', 'setting']), 'yaml settings', /^\s*[\w-]+:/],
];

/** What a fence of prose is meant for, by a word that is used elsewhere and by what stands in it. */
export function meantByContent(info: string, content: string): string | undefined {
  const word = info.trim().toLowerCase();
  return wordsElsewhere.find(([words, , pattern]) => words.has(word) && pattern.test(content))?.[1];
}

/** What a fence of prose right below a request is most likely meant for: no prose is written in this. */
export function meantBelowRequest(info: string): string | undefined {
  return bodiesAlone.get(info.trim().toLowerCase());
}
