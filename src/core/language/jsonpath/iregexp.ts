import { withoutPrototype } from '../../text/without-prototype.ts';
// I-Regexp, RFC 9485: the patterns of match() and search().

/** Why a text is no pattern of RFC 9485, and at which offset of it. */
export class IRegexpError extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(message);
  }
}

const controls = new Map([
  ['n', '\n'],
  ['r', '\r'],
  ['t', '\t'],
]);
/** RE2 counts no further. */
const mostRepeats = 1000;
const hints: { readonly [char: string]: string } = withoutPrototype({
  d: '; a digit is [0-9]',
  w: '; a letter or digit is [A-Za-z0-9_]',
  s: '; white space is [ \\t\\n\\r]',
});
const categories = /^(?:L[lmotu]?|M[cen]?|N[dlo]?|P[cdefios]?|Z[lps]?|S[ckmo]?|C[cfno]?)$/;

/** A pattern of RFC 9485 as RE2 writes it (RFC 9485, 5.4). Throws IRegexpError. */
export function translateIRegexp(text: string): string {
  const reader = new IRegexpReader(text);
  const pattern = reader.alternatives();
  if (!reader.atEnd) reader.fail("a ')' stands here that closes nothing");
  return pattern;
}

/** A text as a pattern that matches it alone (RFC 9485, 4). */
export function quoteIRegexp(text: string): string {
  return text.replace(/[()*+.?[\\\]^{|}-]/g, '\\$&');
}

class IRegexpReader {
  #at = 0;
  #depth = 0;

  constructor(readonly text: string) {}

  get atEnd(): boolean {
    return this.#at >= this.text.length;
  }

  // i-regexp :: branch ( | branch )*
  alternatives(): string {
    if (++this.#depth > 100) this.fail('it is nested deeper than 100 levels');
    const branches = [this.#branch()];
    while (this.#eat('|')) branches.push(this.#branch());
    this.#depth--;
    return branches.join('|');
  }

  // branch :: ( atom quantifier? )*
  #branch(): string {
    let branch = '';
    while (!this.atEnd && !'|)'.includes(this.text[this.#at]!)) branch += this.#atom() + this.#quantifier();
    return branch;
  }

  // quantifier :: * | + | ? | { digits ( , digits? )? }
  #quantifier(): string {
    const found = /^(?:[*+?]|\{(\d+)(?:,(\d*))?\})/.exec(this.text.slice(this.#at, this.#at + 40));
    if (!found) return '';
    const [written, low, high] = found;
    if (Math.max(Number(low ?? 0), Number(high || 0)) > mostRepeats)
      this.fail(`it repeats more than ${mostRepeats} times`);
    this.#at += written.length;
    return written;
  }

  // atom :: character | . | escape | class | ( i-regexp )
  #atom(): string {
    const char = this.#peek();
    if (char === '(') {
      this.#at++;
      const inner = this.alternatives();
      if (!this.#eat(')')) this.fail("a ')' is missing");
      return `(?:${inner})`;
    }
    if (char === '.') {
      this.#at++;
      return '[^\\n\\r]';
    }
    if (char === '[') return this.#class();
    if (char === '\\') return this.#category() ?? literal(this.#escaped());
    if ('*+?{}]'.includes(char)) this.fail(`a '${char}' stands here without a backslash`);
    this.#at += char.length;
    return literal(char);
  }

  // charClassExpr :: [ ^? ( - | item ) item* -? ]
  #class(): string {
    const start = this.#at++;
    let inner = this.#eat('^') ? '^' : '';
    if (this.#eat('-')) inner += '\\-';
    else inner += this.#classItem(start);
    while (!this.#eat(']')) {
      if (this.text.startsWith('-]', this.#at)) {
        this.#at++;
        inner += '\\-';
      } else inner += this.#classItem(start);
    }
    return `[${inner}]`;
  }

  // item :: category | char ( - char )?
  #classItem(start: number): string {
    if (this.atEnd) this.fail("this '[' is not closed", start);
    const category = this.text[this.#at] === '\\' ? this.#category() : undefined;
    if (category !== undefined) return category;
    const low = this.#classChar(start);
    if (this.text[this.#at] !== '-' || this.text[this.#at + 1] === ']') return literal(low);
    const dash = this.#at++;
    const high = this.#classChar(start);
    if (high.codePointAt(0)! < low.codePointAt(0)!) this.fail('this range runs backwards', dash - 1);
    return `${literal(low)}-${literal(high)}`;
  }

  #classChar(start: number): string {
    if (this.atEnd) this.fail("this '[' is not closed", start);
    const char = this.#peek();
    if (char === '\\') return this.#escaped();
    if ('[]-'.includes(char)) this.fail(`a '${char}' stands here without a backslash`);
    this.#at += char.length;
    return char;
  }

  // catEsc, complEsc :: \p{ property } | \P{ property }
  #category(): string | undefined {
    const found = /^\\[pP](?:\{([^}]*)\})?/.exec(this.text.slice(this.#at, this.#at + 20));
    if (!found) return undefined;
    if (!categories.test(found[1] ?? '')) this.fail(`'${found[0]}' names no category of characters`);
    this.#at += found[0].length;
    return found[0];
  }

  // SingleCharEsc :: \ ( ( ) * + - . ? [ \ ] ^ n r t { | } )
  #escaped(): string {
    const char = this.text[this.#at + 1] ?? '';
    const control = controls.get(char);
    if (control === undefined && (char === '' || !'()*+-.?[\\]^{|}'.includes(char)))
      this.fail(`'\\${char}' is no escape of RFC 9485${hints[char] ?? ''}`);
    this.#at += 2;
    return control ?? char;
  }

  /** A character beyond the BMP counts as one. */
  #peek(): string {
    const char = String.fromCodePoint(this.text.codePointAt(this.#at)!);
    if (/[\uD800-\uDFFF]/u.test(char)) this.fail('half of a surrogate pair is no character');
    return char;
  }

  #eat(char: string): boolean {
    if (this.text[this.#at] !== char) return false;
    this.#at++;
    return true;
  }

  fail(message: string, offset = this.#at): never {
    throw new IRegexpError(message, Math.max(0, offset));
  }
}

function literal(char: string): string {
  return /^[A-Za-z0-9 ]$/.test(char) ? char : `\\x{${char.codePointAt(0)!.toString(16)}}`;
}
