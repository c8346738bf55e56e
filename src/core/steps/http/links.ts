/** A link of a Link header. */
export interface Link {
  /** In lower case. */
  readonly relations: readonly string[];
  /** Absolute. */
  readonly url: string;
}

/** Reads the value of a Link header. What has no relation, or no target that could be called, is passed over. */
export function readLinks(value: string, base: string): Link[] {
  const links: Link[] = [];
  const reader = new LinkReader(value);
  for (let link = reader.next(); link; link = reader.next()) {
    const { target, relations } = link;
    if (relations.length > 0 && URL.canParse(target, base))
      links.push({ relations, url: new URL(target, base).href });
  }
  return links;
}

const space = /\s*/y;
const name = /[^\s=;,]+/y;
const bare = /[^\s;,"]*/y;
const quoted = /"((?:[^"\\]|\\.)*)"/y;

/** Each character is looked at once: a pattern over all of it would go back again and again. */
class LinkReader {
  #at = 0;

  constructor(readonly text: string) {}

  // link :: "<" target ">" ( ";" name ( "=" ( token | quoted ) )? )*      RFC 8288, 3
  next(): { target: string; relations: string[] } | undefined {
    const start = this.text.indexOf('<', this.#at);
    const end = start < 0 ? -1 : this.text.indexOf('>', start);
    if (end < 0) return undefined;
    this.#at = end + 1;
    let relations: string[] | undefined;
    for (;;) {
      const before = this.#at;
      this.#match(space);
      if (this.text[this.#at] !== ';') {
        this.#at = before;
        break;
      }
      this.#at++;
      this.#match(space);
      const key = this.#match(name)?.[0];
      if (key === undefined) break;
      const value = this.#value();
      // Of several the first counts (RFC 8288, 3.3).
      if (key.toLowerCase() === 'rel') relations ??= (value ?? '').toLowerCase().split(/\s+/).filter(Boolean);
    }
    return { target: this.text.slice(start + 1, end), relations: relations ?? [] };
  }

  #value(): string | undefined {
    const before = this.#at;
    this.#match(space);
    if (this.text[this.#at] !== '=') {
      this.#at = before;
      return undefined;
    }
    this.#at++;
    this.#match(space);
    const inQuotes = this.text[this.#at] === '"' ? this.#match(quoted) : undefined;
    return inQuotes ? inQuotes[1] : this.#match(bare)?.[0];
  }

  #match(form: RegExp): RegExpExecArray | undefined {
    form.lastIndex = this.#at;
    const match = form.exec(this.text);
    if (!match) return undefined;
    this.#at += match[0].length;
    return match;
  }
}
