// What names say of what stands behind them: enough to tell a relation from a coincidence, and no more.

/** Without what words are joined by, in lower case. */
function plain(name: string): string {
  return name.toLowerCase().replace(/[^\p{L}\d]/gu, '');
}

/** Whether two names are for the same: `tariff` and `tariff-seen`. */
export function agree(a: string, b: string): boolean {
  const [x, y] = [plain(a), plain(b)];
  if (x === y) return x !== '';
  return Math.min(x.length, y.length) >= 3 && (x.includes(y) || y.includes(x));
}

/** The words that a name is made of, in lower case. */
function wordsOf(name: string): string[] {
  return name
    .replace(/(?<=[a-z\d])(?=[A-Z])/g, ' ')
    .toLowerCase()
    .split(/[^\p{L}\d]+/u)
    .filter(word => word !== '');
}

function isAbout(words: ReadonlySet<string>): (name: string) => boolean {
  return name => words.has(wordsOf(name).at(-1) ?? '') || words.has(wordsOf(name)[0] ?? '');
}

/** What tells one item from all others. */
export const isKey = isAbout(
  new Set(['id', 'ids', 'code', 'key', 'no', 'nr', 'number', 'uuid', 'guid', 'ref', 'reference', 'slug']),
);
export const isCount = isAbout(
  new Set(['count', 'total', 'size', 'length', 'found', 'hits', 'results', 'items']),
);
/** What lists are often in the order of. */
export const isOrdering = (name: string): boolean =>
  isKey(name) ||
  isAbout(new Set(['name', 'date', 'time', 'at', 'created', 'updated', 'rank', 'position']))(name);
export const isLimit = isAbout(new Set(['size', 'limit', 'top', 'first', 'max', 'most']));
/** What is a whole number by its nature. */
export const isWhole = (name: string): boolean =>
  isAbout(
    new Set(['id', 'no', 'count', 'number', 'index', 'page', 'pages', 'version', 'year', 'size', 'length']),
  )(name);

const begins = isAbout(
  new Set([
    'start',
    'starts',
    'begin',
    'begins',
    'from',
    'since',
    'arrival',
    'created',
    'opened',
    'issued',
    'first',
    'min',
    'lowest',
  ]),
);
const ends = isAbout(
  new Set([
    'end',
    'ends',
    'until',
    'to',
    'departure',
    'expires',
    'expiry',
    'closed',
    'updated',
    'due',
    'last',
    'max',
    'highest',
  ]),
);

/** Whether one is what the other ends with: `arrival` and `departure`. */
export function isSpan(a: string, b: string): boolean {
  return begins(a) && ends(b);
}

/** Whether it is for something that is still to come. */
export const isToCome = isAbout(new Set(['expires', 'expiry', 'until', 'due', 'deadline']));
