/** The keys of every level, as the schema has them. */
export const levelKeys = ['title', 'base', 'headers', 'variables', 'checks', 'timeout'];
export const rootKeys = [...levelKeys, 'environments', 'environment'];

/** Keys that settings know by name and that are not there yet. */
export const laterKeys = [
  'query',
  'auth',
  'redirects',
  'cookies',
  'tls',
  'proxy',
  'retry',
  'namespaces',
  'rows',
  'order',
  'tags',
  'needs',
  'limits',
  'internal',
  'bounds',
  'redact',
];

/** The forms of a variable that says where its value is found. */
export const variableForms = ['os', 'secret', 'file', 'let'];
