// Bytes as they read in one way, and where each of them stands in what they are read from.

/** Some bytes as they read in one way. */
export interface View {
  readonly bytes: Buffer;
  /** Of one that is made of decoded stretches, all else left out: those that came out as text. */
  readonly text?: View;
  /** Whether it reaches to the end of what it is read from. */
  readonly atEnd: boolean;
  /** For each byte, from where to where that stands which it is read from. Few views are asked for it. */
  places(): Places;
}

export interface Places {
  readonly starts: Int32Array;
  readonly ends: Int32Array;
}

export interface DraftOptions {
  readonly notesPlaces: boolean;
}

/** Bytes while they are read; where they come from is noted only if somebody has asked. */
export class Draft implements Places {
  readonly #bytes: Buffer;
  readonly starts: Int32Array;
  readonly ends: Int32Array;
  length = 0;

  readonly notesPlaces: boolean;

  /** @param most how many bytes it may come to hold */
  constructor(most: number, { notesPlaces }: DraftOptions) {
    this.notesPlaces = notesPlaces;
    this.#bytes = Buffer.allocUnsafe(most);
    this.starts = new Int32Array(notesPlaces ? most : 0);
    this.ends = new Int32Array(notesPlaces ? most : 0);
  }

  get bytes(): Buffer {
    return this.#bytes.subarray(0, this.length);
  }

  add(byte: number, start: number, end: number): void {
    this.#bytes[this.length] = byte;
    if (this.notesPlaces) {
      this.starts[this.length] = start;
      this.ends[this.length] = end;
    }
    this.length++;
  }

  addCodePoint(code: number, start: number, end: number): void {
    if (code < 0x80) this.add(code, start, end);
    else for (const byte of Buffer.from(String.fromCodePoint(code), 'utf8')) this.add(byte, start, end);
  }

  /** Takes over a stretch of another draft. */
  append(other: Draft, from: number): void {
    for (let at = from; at < other.length; at++)
      this.add(other.#bytes[at]!, other.starts[at] ?? 0, other.ends[at] ?? 0);
  }

  /** Whether a stretch is text but for some of its characters, as where something else stands right before it. */
  isMostlyText(from: number): boolean {
    let odd = 0;
    for (let at = from; at < this.length; at++) {
      const byte = this.#bytes[at]!;
      if (byte < 0x20 ? byte !== 9 && byte !== 10 && byte !== 13 : byte >= 0x7f) odd++;
    }
    return odd * 4 <= this.length - from;
  }
}

/** @param read is called again where somebody asks for places */
export function viewOf(most: number, read: (into: Draft) => void): View {
  const draft = new Draft(most, { notesPlaces: false });
  read(draft);
  return { bytes: draft.bytes, atEnd: true, places: once(() => drafted(most, read)) };
}

function drafted(most: number, read: (into: Draft) => void): Draft {
  const draft = new Draft(most, { notesPlaces: true });
  read(draft);
  return draft;
}

export function once<Result>(make: () => Result): () => Result {
  let made: { readonly result: Result } | undefined;
  return () => {
    made ??= { result: make() };
    return made.result;
  };
}

/** A view of a view, as one of what that is a view of. */
export function composed(inner: View, outer: View): View {
  const text = inner.text && composed(inner.text, outer);
  return {
    bytes: inner.bytes,
    atEnd: inner.atEnd && outer.atEnd,
    places: once(() => composedPlaces(inner, outer)),
    ...(text && { text }),
  };
}

function composedPlaces(inner: View, outer: View): Places {
  const [within, around] = [inner.places(), outer.places()];
  const { length } = inner.bytes;
  const [starts, ends] = [new Int32Array(length), new Int32Array(length)];
  for (let at = 0; at < length; at++) {
    const start = within.starts[at]!;
    starts[at] = around.starts[start]!;
    ends[at] = around.ends[Math.max(start, within.ends[at]! - 1)]!;
  }
  return { starts, ends };
}
