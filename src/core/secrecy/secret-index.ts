/** So many characters make a secret that is found anywhere; a shorter one only where it stands apart. */
export const longEnough = 6;

const window = 6;
/** From this length on a window of a text is compared by its hash alone: to mask too much by chance does no harm. */
const hashedFrom = 64;
/** Of so many secrets with the same beginning each is looked at, where a text was cut in one. */
const mostCompared = 64;
const [firstBase, secondBase] = [0x01000193, 0x5bd1e995];

/** Secrets with the same first bytes, by their length. */
interface Group {
  readonly byLength: Map<number, { powers: [number, number]; hashes: Map<number, number> }>;
  /** As bytes, one character each. */
  readonly texts: Map<string, number>;
}

/**
 * Finds many secrets in bytes at once, in a time that grows with the bytes alone: the first bytes of each position are
 * looked up, and what follows is compared by its hash (Rabin and Karp). Secrets come and go one by one.
 */
export class SecretIndex {
  /** How often each is held. */
  readonly #held = new Map<string, number>();
  readonly #groups = new Map<number, Group>();
  /** A coarse picture of the keys of groups: most positions of a text are passed over by it. */
  readonly #coarse = new Uint32Array(1 << 14);
  /** Those that stand apart only, as bytes, by their length. */
  readonly #short = new Map<number, Map<string, number>>();
  readonly #shortFirst = new Uint32Array(256);
  /** The first three to five bytes of secrets. */
  readonly #heads = new Map<string, number>();
  /** In bytes, of those that are found anywhere. */
  shortest = Number.POSITIVE_INFINITY;
  #longest = 0;

  get isEmpty(): boolean {
    return this.#held.size === 0;
  }

  get hasShort(): boolean {
    return this.#short.size > 0;
  }

  has(secret: string): boolean {
    return this.#held.has(secret);
  }

  add(secret: string): void {
    const count = this.#held.get(secret) ?? 0;
    this.#held.set(secret, count + 1);
    if (count === 0) this.#change(secret, 1);
  }

  remove(secret: string): void {
    const count = this.#held.get(secret);
    if (count === undefined) return;
    if (count > 1) {
      this.#held.set(secret, count - 1);
      return;
    }
    this.#held.delete(secret);
    this.#change(secret, -1);
  }

  #change(secret: string, by: 1 | -1): void {
    for (const bytes of spellings(secret)) {
      if (lengthOf(secret) < longEnough || bytes.length < window) this.#changeShort(bytes, by);
      else this.#changeLong(bytes, by);
    }
  }

  #changeShort(bytes: Buffer, by: 1 | -1): void {
    const texts = this.#short.get(bytes.length) ?? new Map<string, number>();
    this.#short.set(bytes.length, texts);
    count(texts, bytes.toString('latin1'), by);
    if (texts.size === 0) this.#short.delete(bytes.length);
    this.#shortFirst[bytes[0]!]! += by;
  }

  #changeLong(bytes: Buffer, by: 1 | -1): void {
    this.shortest = Math.min(this.shortest, bytes.length);
    this.#longest = Math.max(this.#longest, bytes.length);
    const [high, low] = [bytes.readUIntBE(0, 3), bytes.readUIntBE(3, 3)];
    const key = high * 2 ** 24 + low;
    this.#coarse[coarseOf(high, low)]! += by;
    const group = this.#groups.get(key) ?? { byLength: new Map(), texts: new Map() };
    this.#groups.set(key, group);
    count(group.texts, bytes.toString('latin1'), by);
    if (group.texts.size === 0) this.#groups.delete(key);
    const own = group.byLength.get(bytes.length) ?? { powers: powersFor(bytes.length), hashes: new Map() };
    group.byLength.set(bytes.length, own);
    count(own.hashes, hashOf(bytes), by);
    if (own.hashes.size === 0) group.byLength.delete(bytes.length);
    for (const length of [3, 4, 5]) count(this.#heads, bytes.toString('latin1', 0, length), by);
  }

  /**
   * Tells of every stretch of the bytes that is a secret.
   * @param isCut whether more stood behind the bytes: the beginning of a secret at their end counts too
   * @param standsApart whether short secrets are looked for
   */
  find(
    bytes: Buffer,
    tell: (from: number, to: number) => void,
    { isCut = false, standsApart = true }: { isCut?: boolean; standsApart?: boolean } = {},
  ): void {
    if (this.#groups.size > 0) this.#findLong(bytes, tell, isCut);
    if (standsApart && this.#short.size > 0) this.#findShort(bytes, tell);
    if (isCut) this.#findHead(bytes, tell);
  }

  #findLong(bytes: Buffer, tell: (from: number, to: number) => void, isCut: boolean): void {
    const { length } = bytes;
    if (length < window) return;
    const coarse = this.#coarse;
    let hashes: Hashes | undefined;
    let [high, low] = [0, 0];
    for (let end = 0; end < length; end++) {
      high = ((high << 8) | (low >>> 16)) & 0xffffff;
      low = ((low << 8) | bytes[end]!) & 0xffffff;
      if (end < window - 1 || coarse[coarseOf(high, low)] === 0) continue;
      const group = this.#groups.get(high * 2 ** 24 + low);
      if (!group) continue;
      const from = end - window + 1;
      for (const [size, { powers, hashes: known }] of group.byLength) {
        if (from + size > length) continue;
        if (size < hashedFrom && known.size <= 2) {
          if (group.texts.has(bytes.toString('latin1', from, from + size))) tell(from, from + size);
          continue;
        }
        hashes ??= new Hashes(bytes);
        if (known.has(hashes.of(from, size, powers))) tell(from, from + size);
      }
      if (isCut && from >= length - this.#longest && startsIn(group, bytes, from)) tell(from, length);
    }
  }

  #findShort(bytes: Buffer, tell: (from: number, to: number) => void): void {
    for (let from = 0; from < bytes.length; from++) {
      if (this.#shortFirst[bytes[from]!] === 0) continue;
      for (const [size, texts] of this.#short) {
        const to = from + size;
        if (to > bytes.length || !isApart(bytes, from - 1, from) || !isApart(bytes, to - 1, to)) continue;
        if (texts.has(bytes.toString('latin1', from, to))) tell(from, to);
      }
    }
  }

  #findHead(bytes: Buffer, tell: (from: number, to: number) => void): void {
    for (const length of [5, 4, 3]) {
      const from = bytes.length - length;
      if (from < 0 || !this.#heads.has(bytes.toString('latin1', from))) continue;
      tell(from, bytes.length);
      return;
    }
  }
}

/** Whether the rest of the bytes may be the beginning of a secret. */
function startsIn({ texts }: Group, bytes: Buffer, from: number): boolean {
  const rest = bytes.toString('latin1', from);
  if (texts.size > mostCompared) return true;
  for (const text of texts.keys()) if (text.length > rest.length && text.startsWith(rest)) return true;
  return false;
}

/** As bytes: composed and decomposed letters, and Latin-1 where that has them. */
function spellings(secret: string): Buffer[] {
  const written = Buffer.from(secret, 'utf8');
  if (written.length === secret.length) return [written];
  const [composed, decomposed] = [secret.normalize('NFC'), secret.normalize('NFD')];
  const isLatin = /^[\u0000-\u00ff]*$/.test(composed);
  const all = [
    written,
    Buffer.from(composed, 'utf8'),
    Buffer.from(decomposed, 'utf8'),
    ...(isLatin ? [Buffer.from(composed, 'latin1')] : []),
  ];
  return all.filter((bytes, at) => all.findIndex(other => other.equals(bytes)) === at);
}

function lengthOf(secret: string): number {
  return secret.length >= 2 * longEnough ? secret.length : [...secret].length;
}

function count<Key>(counts: Map<Key, number>, key: Key, by: 1 | -1): void {
  const next = (counts.get(key) ?? 0) + by;
  if (next > 0) counts.set(key, next);
  else counts.delete(key);
}

function coarseOf(high: number, low: number): number {
  return (Math.imul(high, 0x9e3779b1) ^ Math.imul(low, 0x85ebca6b)) >>> 18;
}

/** Letters and digits join; what is no ASCII counts as a letter. */
function isWord(byte: number | undefined): boolean {
  return (
    byte !== undefined &&
    (byte >= 0x80 ||
      (byte >= 0x30 && byte <= 0x39) ||
      (byte >= 0x41 && byte <= 0x5a) ||
      byte === 0x5f ||
      (byte >= 0x61 && byte <= 0x7a))
  );
}

function isApart(bytes: Buffer, before: number, behind: number): boolean {
  return !(isWord(bytes[before]) && isWord(bytes[behind]));
}

/** Hashes of all stretches of some bytes, each found in one step. */
class Hashes {
  readonly #first: Int32Array;
  readonly #second: Int32Array;

  constructor(bytes: Uint8Array) {
    const { length } = bytes;
    this.#first = new Int32Array(length + 1);
    this.#second = new Int32Array(length + 1);
    let [a, b] = [0, 0];
    for (let at = 0; at < length; at++) {
      a = (Math.imul(a, firstBase) + bytes[at]!) | 0;
      b = (Math.imul(b, secondBase) + bytes[at]!) | 0;
      this.#first[at + 1] = a;
      this.#second[at + 1] = b;
    }
  }

  of(from: number, size: number, [first, second]: readonly [number, number]): number {
    const a = (this.#first[from + size]! - Math.imul(this.#first[from]!, first)) | 0;
    const b = (this.#second[from + size]! - Math.imul(this.#second[from]!, second)) | 0;
    return joined(a, b);
  }
}

function hashOf(bytes: Uint8Array): number {
  let [a, b] = [0, 0];
  for (const byte of bytes) {
    a = (Math.imul(a, firstBase) + byte) | 0;
    b = (Math.imul(b, secondBase) + byte) | 0;
  }
  return joined(a, b);
}

/** As one whole number of 53 bits. */
function joined(a: number, b: number): number {
  return (a >>> 0) * 2 ** 21 + (b & 0x1fffff);
}

function powersFor(size: number): [number, number] {
  let [a, b] = [1, 1];
  for (let at = 0; at < size; at++) {
    a = Math.imul(a, firstBase);
    b = Math.imul(b, secondBase);
  }
  return [a, b];
}
