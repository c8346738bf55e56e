import { editDistance } from '../text/words.ts';

/** What a fence is to Mervok, from the words behind its marks. */
export type FenceUse =
  | { readonly use: 'prose' }
  | { readonly use: 'request' }
  | { readonly use: 'statements' }
  | { readonly use: 'settings' }
  | { readonly use: 'body'; readonly form: BodyFenceForm; readonly crlf: boolean }
  /** `json variables`, those of a GraphQL body. */
  | { readonly use: 'variables' }
  | { readonly use: 'query' }
  /** `json schema NAME`, `csv rows NAME`: for the whole page, by their names. */
  | { readonly use: 'schema'; readonly name: string }
  | { readonly use: 'rows'; readonly name: string }
  | { readonly use: 'later'; readonly form: string }
  | { readonly use: 'slip'; readonly meant: string };

const bodyLanguages = ['json', 'xml', 'yaml', 'text', 'form', 'multipart', 'graphql', 'file'] as const;
export type BodyFenceForm = (typeof bodyLanguages)[number];

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

const pairs = new Map<string, string[]>([
  ...bodyLanguages.map((language): [string, string[]] => [language, ['body']]),
  ['json', ['body', 'variables', 'schema']],
  ['form', ['body', 'query']],
  ['yaml', ['body', 'settings']],
  ['csv', ['rows']],
  ['sql', ['step']],
  ['sh', ['step']],
  ['js', ['step']],
]);

export function useOfFence(info: string): FenceUse {
  const [first = '', second = '', third = ''] = info.split(/\s+/);
  if (first === 'http')
    return second === 'prose' ? { use: 'prose' } : second === '' ? { use: 'request' } : httpWith(second);
  if (first === 'mervok') return { use: 'statements' };
  if (!innocent.has(first.toLowerCase())) {
    const meant = ['http', 'mervok'].find(
      word => first !== '' && editDistance(first.toLowerCase(), word) <= 1,
    );
    if (meant !== undefined) return { use: 'slip', meant };
  }
  const seconds = pairs.get(first);
  if (!seconds || second === '') return { use: 'prose' };
  if (!seconds.includes(second)) {
    const meant = seconds.find(word => editDistance(second.toLowerCase(), word) <= 1);
    return meant === undefined ? { use: 'prose' } : { use: 'slip', meant: `${first} ${meant}` };
  }
  switch (second) {
    case 'settings':
    case 'variables':
    case 'query':
      return { use: second };
    case 'schema':
    case 'rows':
      return { use: second, name: third };
    case 'body':
      return third !== '' && third !== 'crlf'
        ? { use: 'slip', meant: `${first} body crlf` }
        : { use: 'body', form: first as BodyFenceForm, crlf: third === 'crlf' };
    default:
      return { use: 'later', form: `${first} ${second}` };
  }
}

function httpWith(second: string): FenceUse {
  return editDistance(second, 'prose') <= 2 ? { use: 'slip', meant: 'http prose' } : { use: 'request' };
}
