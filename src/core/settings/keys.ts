import { withoutPrototype } from '../text/without-prototype.ts';
/** The keys of every level, as the schema has them. */
export const levelKeys = [
  'title',
  'base',
  'headers',
  'query',
  'auth',
  'variables',
  'checks',
  'timeout',
  'redirects',
  'cookies',
  'tls',
  'proxy',
  'retry',
  'limits',
  'namespaces',
  'tags',
  'needs',
  'internal',
];

/** What else stands in the settings of a page, in a mervok.yaml, and in that at the root alone. */
export const pageKeys = [...levelKeys, 'rows'];
export const folderKeys = [...pageKeys, 'order'];
export const rootKeys = [...folderKeys, 'environments', 'environment', 'redact', 'bounds', 'apdex'];

/** The keys inside a setting that is an object of its own, by the way to it. */
export const innerKeys: { readonly [path: string]: readonly string[] } = withoutPrototype({
  timeout: ['connect', 'answer', 'total'],
  tls: ['ca', 'cert', 'key', 'verify'],
  retry: ['times', 'every', 'on'],
  limits: ['body', 'record', 'head'],
  redact: ['headers', 'paths'],
  auth: ['bearer', 'basic', 'digest', 'api-key', 'oauth2'],
  'auth.basic': ['user', 'password'],
  'auth.digest': ['user', 'password'],
  'auth.api-key': ['name', 'value', 'in'],
  'auth.oauth2': [
    'flow',
    'token-url',
    'client-id',
    'client-secret',
    'client-auth',
    'scope',
    'audience',
    'user',
    'password',
    'refresh-token',
  ],
});

/** The forms of a variable that says where its value is found. */
export const variableForms = ['os', 'secret', 'file', 'let'];
