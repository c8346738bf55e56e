import type { ImportedSample } from '../imported.ts';
import { slugOf, UniqueNames } from '../plain-text.ts';

/** Endings of what is no page, no settings and no script wherever it lies. */
const plain = /^(?:csv|tsv|txt|json|xml|html?|png|jpe?g|gif|webp|svg|pdf|zip|gz|docx|xlsx|mp[34])$/;

/** What is longer, or no text, is not taken over: something stands for it. */
const longest = 100_000;

/** Files that recorded requests send, below `samples`. */
export class SentFiles {
  readonly #files = new Map<string, ImportedSample>();
  readonly #slugs = new UniqueNames();

  get all(): ImportedSample[] {
    return [...this.#files.values()];
  }

  /** What was left out, as sentences. */
  get notes(): string[] {
    const made = this.all.filter(({ text }) => text === undefined);
    return made.map(({ path }) => `${path} is made up: of the file that was sent the recording has no text.`);
  }

  /** Where a file lies; the same name with the same text is one. */
  pathOf(name: string, text: string): string {
    const key = `${name}\n${text}`;
    const known = this.#files.get(key);
    if (known) return known.path;
    const [, base = '', written = ''] = /^(.*?)(?:\.([A-Za-z\d]{1,5}))?$/s.exec(name) ?? [];
    const ending = plain.test(written.toLowerCase()) ? written.toLowerCase() : 'bin';
    const path = `samples/${this.#slugs.take(slugOf(base, 'file'))}.${ending}`;
    const isText = text !== '' && text.length <= longest && !/[\0-\x08\x0e-\x1f\ufffd]/.test(text);
    this.#files.set(key, { path, ...(isText && { text }) });
    return path;
  }
}
