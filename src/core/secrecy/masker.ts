import { isObject, type Value } from '../model/value.ts';
import { Crew } from '../text/crew.ts';
import { textOf } from '../values/text.ts';
import { viewsOf } from './decoded-views.ts';
import { SecretIndex } from './secret-index.ts';
import type { SharedSecrets } from './shared-secrets.ts';
import type { View } from './view.ts';

/** What stands in the place of a secret. */
export const mask = '[secret]';

/** What the program itself says in an event; a secret that happens to be such a word must not change what happened. */
const structural = new Set(['type', 'holds', 'outcome', 'kind', 'case', 'place', 'file', 'by', 'cause']);

/** So many short texts without a secret are remembered. */
const mostClean = 2000;
const shortText = 400;

/** What the maskers of a run share: all secrets that are known, and short texts that hold none of them. */
class Known {
  readonly index = new SecretIndex();
  /** Those of the whole run. */
  readonly lasting = new Set<string>();
  readonly #clean = new Set<string>();
  /** Passes that are under way. */
  readonly #open = new Crew<Masker>();
  /** Secrets of iterations that have ended, and the iterations that were under way then: to them they may still be told. */
  #retired: { readonly secrets: Iterable<string>; readonly waitsFor: Set<Masker> }[] = [];

  constructor(readonly shared?: SharedSecrets) {}

  begin(iteration: Masker): void {
    this.#open.add(iteration);
  }

  end(iteration: Masker, secrets: ReadonlySet<string>): void {
    this.#open.delete(iteration);
    if (secrets.size > 0) {
      this.#retired.push({ secrets, waitsFor: this.#open.now() });
      this.shared?.retire([...secrets]);
    }
    if (this.#retired.length === 0) return;
    this.#retired = this.#retired.filter(({ secrets: own, waitsFor }) => {
      waitsFor.delete(iteration);
      if (waitsFor.size > 0) return true;
      for (const secret of own) this.index.remove(secret);
      return false;
    });
  }

  add(secret: string): void {
    this.#index(secret);
    this.shared?.add(secret);
  }

  /** Learns what other threads have come by. */
  readonly listen = () => this.shared?.take(this.#index, this.#retire);

  readonly #index = (secret: string) => {
    if (!this.index.has(secret)) this.#clean.clear();
    this.index.add(secret);
  };

  readonly #retire = (secrets: readonly string[]) => {
    if (this.#open.size > 0) this.#retired.push({ secrets, waitsFor: this.#open.now() });
    else for (const secret of secrets) this.index.remove(secret);
  };

  /** One that ends with the mark of a cut is taken for cut. */
  text(text: string): string {
    if (text.endsWith(cutMark)) return this.cutText(text);
    if (text === '' || this.index.isEmpty || this.#clean.has(text)) return text;
    const masked = maskText(text, this.index);
    if (masked === text) this.remember(text);
    return masked;
  }

  /** A secret may be cut at its end. */
  cutText(text: string): string {
    return text === '' || this.index.isEmpty ? text : maskText(text, this.index, { isCut: true });
  }

  isClean(text: string): boolean {
    return this.#clean.has(text);
  }

  remember(text: string): void {
    if (text.length > shortText) return;
    if (this.#clean.size >= mostClean) this.#clean.clear();
    this.#clean.add(text);
  }
}

/**
 * Replaces secrets in everything that is printed or written, in every form in which they can appear: those of the whole
 * run, and those of all iterations that are under way, since what one user has come by may stand in the answer to another.
 */
export class Masker {
  readonly #known: Known;
  /** Among those of all iterations. */
  place = 0;
  /** What was added by an iteration, to be taken back at its end. */
  #own: Set<string> | undefined;

  /** @param shared where other threads carry out the same run */
  constructor(run?: Masker, shared?: SharedSecrets) {
    this.#known = run ? run.#known : new Known(shared);
    if (run) this.#known.begin(this);
  }

  /** For what one iteration comes by: what is known must not grow with their number. */
  forIteration(): Masker {
    return new Masker(this);
  }

  /** Forgets what the iteration has come by, once all others that were under way beside it have ended too. */
  end(): void {
    this.#known.end(this, this.#own ?? new Set());
    this.#own = undefined;
  }

  /** Every text in a value that is secret for the whole run, or for this iteration. */
  addValue(value: Value, how: 'lasting' | 'passing'): void {
    if (Array.isArray(value)) for (const item of value) this.addValue(item, how);
    else if (isObject(value)) for (const item of Object.values(value)) this.addValue(item, how);
    else {
      const text = textOf(value);
      if (text === undefined || text === '' || typeof value === 'boolean') return;
      this.#own ??= new Set();
      const own = how === 'lasting' ? this.#known.lasting : this.#own;
      if (own.has(text)) return;
      own.add(text);
      this.#known.add(text);
    }
  }

  /** Whether nothing has come yet that is to be masked. */
  get isEmpty(): boolean {
    this.#known.listen();
    return this.#known.index.isEmpty;
  }

  text(text: string): string {
    this.#known.listen();
    return this.#known.text(text);
  }

  /** Whether a text holds a secret, in any form. */
  readonly holdsSecret = (text: string): boolean => this.text(text) !== text;

  /** The same in every text of an event that came from outside, or that somebody wrote. */
  deep<T>(value: T): T {
    if (this.isEmpty) return value;
    const texts: string[] = [];
    const isCut = gather(value, texts);
    const open = isCut ? texts : texts.filter(text => !this.#known.isClean(text));
    if (!isCut) {
      // One look at all of it: most events hold no secret.
      if (open.length === 0 || !holdsAny(open.join('\0'), this.#known.index)) {
        for (const text of open) this.#known.remember(text);
        return value;
      }
    }
    return maskDeep(value, this.#known);
  }
}

/** What `cut` puts behind a text that was too long. */
const cutMark = ' …';

/** Gathers the texts of a value; whether one of them was cut. */
function gather(value: unknown, into: string[]): boolean {
  if (typeof value === 'string') {
    if (value !== '') into.push(value);
    return value.endsWith(cutMark);
  }
  if (typeof value !== 'object' || value === null) return false;
  let isCut = (value as { cut?: unknown }).cut === true;
  for (const [name, each] of Object.entries(value))
    if (!structural.has(name) && gather(each, into)) isCut = true;
  return isCut;
}

function maskDeep<T>(value: T, known: Known): T {
  if (typeof value === 'string') return known.text(value) as T;
  if (Array.isArray(value)) return value.map(item => maskDeep(item, known)) as T;
  if (typeof value !== 'object' || value === null) return value;
  const isCut = (value as { cut?: unknown }).cut === true;
  const members = Object.entries(value).map(([name, each]) => {
    if (structural.has(name)) return [name, each];
    return [name, isCut && typeof each === 'string' ? known.cutText(each) : maskDeep(each, known)];
  });
  return Object.fromEntries(members) as T;
}

type Tell = (from: number, to: number) => void;

/** Tells of every stretch of a text, as bytes, that stands for a secret. */
function search(bytes: Buffer, index: SecretIndex, tell: Tell, { isCut = false } = {}): void {
  index.find(bytes, tell, { isCut });
  const shortest = index.hasShort ? Math.min(index.shortest, shortestRun) : index.shortest;
  const least = isCut ? shortestCut : shortest;
  for (const view of viewsOf(bytes, least)) {
    const tellOf = (of: View): Tell => {
      return (from, to) => {
        const { starts, ends } = of.places();
        tell(starts[from]!, ends[to - 1]!);
      };
    };
    index.find(view.bytes, tellOf(view), { isCut: isCut && view.atEnd, standsApart: !view.text });
    if (view.text && index.hasShort) index.find(view.text.bytes, tellOf(view.text));
  }
}

/** The shortest stretch of hex or base64 in which a short secret is looked for, in bytes that it stands for. */
const shortestRun = 5;

/** And at the end of a text that was cut. */
const shortestCut = 2;

/** Ends a search with the first that it finds. */
const found = new Error('a secret');

function holdsAny(text: string, index: SecretIndex): boolean {
  try {
    search(Buffer.from(text, 'utf8'), index, () => {
      throw found;
    });
    return false;
  } catch (error) {
    if (error === found) return true;
    throw error;
  }
}

function maskText(text: string, index: SecretIndex, { isCut = false } = {}): string {
  const end = text.endsWith(cutMark) ? text.length - cutMark.length : text.length;
  const open = isCut ? begunEscape.exec(text.slice(Math.max(0, end - 10), end))![0].length : 0;
  const bytes = Buffer.from(text.slice(0, end - open), 'utf8');
  const ranges: [number, number][] = [];
  search(bytes, index, (from, to) => ranges.push([from, to]), { isCut });
  if (ranges.length === 0) return text;
  ranges.sort((a, b) => a[0] - b[0] || b[1] - a[1]);
  let result = '';
  let at = 0;
  for (let next = 0; next < ranges.length; ) {
    const [from] = ranges[next]!;
    let to = ranges[next]![1];
    for (next++; next < ranges.length && ranges[next]![0] < to; next++) to = Math.max(to, ranges[next]![1]);
    result += `${bytes.toString('utf8', at, from)}${mask}`;
    at = to;
  }
  // What was cut in an escape goes with the secret that it belongs to.
  const rest = at === bytes.length ? '' : text.slice(end - open, end);
  return result + bytes.toString('utf8', at) + rest + text.slice(end);
}

/** An escape that a text was cut in. */
const begunEscape = /(?:%[0-9a-fA-F]?|\\(?:u[0-9a-fA-F]{0,3})?|&#?\w{0,7})?$/;
