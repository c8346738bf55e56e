import { appendFileSync, existsSync, readFileSync } from 'node:fs';

/** What a line has no room for. */
const odd = /[\u0000-\u001f\ud800-\udfff\u007f-\u009f\u2028\u2029\ufeff]/g;
/** A coding that later versions of Node know, and offer. */
export const offeredLater = /, zstd\b/g;
/** Longer lines are left out: what makes them long is data. */
const longest = 500;
/** Tests of other layers tell of the same core, and those of hardening by chance. */
const counts = /[\\/]core[\\/]/.test(process.argv[1] ?? '');

/**
 * What people are told, word by word: whatever a test provokes has to stand in a file of lines. A message that changes,
 * on purpose or not, shows there.
 */
export class Words {
  /** Whether this is a test of the core. */
  static readonly count = counts;
  readonly #path: string;
  readonly #known: Set<string>;
  readonly #heard = new Set<string>();

  /** @param name of a file in `test/words`; `npm run words` writes all of them anew, to be read before they are kept */
  constructor(name: string) {
    this.#path = `test/words/${name}.txt`;
    this.#known = new Set(existsSync(this.#path) ? readFileSync(this.#path, 'utf8').split('\n') : []);
  }

  /** Throws where this was never told before. */
  hear(...parts: readonly (string | undefined)[]): void {
    if (!counts) return;
    const line = parts
      .map(part =>
        (part ?? '').replace(odd, char => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`),
      )
      .join(' | ')
      .replaceAll(offeredLater, '')
      .trimEnd();
    this.#heard.add(line);
    if (this.#known.has(line) || line.length > longest) return;
    this.#known.add(line);
    if (process.env.MERVOK_WORDS !== 'write')
      throw new Error(`This was never told before (test/words, npm run words):\n${line}`);
    appendFileSync(this.#path, `${line}\n`);
  }

  /** Throws where something of these kinds, the first of their parts, was told once and is not any more. */
  complete(...kinds: readonly string[]): void {
    if (!counts) return;
    const gone = [...this.#known].filter(
      line => kinds.includes(line.slice(0, line.indexOf(' |'))) && !this.#heard.has(line),
    );
    if (gone.length > 0) throw new Error(`This is not told any more:\n${gone.slice(0, 5).join('\n')}`);
  }
}
