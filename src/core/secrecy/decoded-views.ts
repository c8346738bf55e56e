// What a text says where it is read as something that stands for other bytes: percent-encoding, JSON, XML, hex, base64.

import { composed, Draft, type DraftOptions, once, type View, viewOf } from './view.ts';

/** @param least the shortest stretch of hex or base64 that is of interest, in bytes that it stands for */
type Read = (bytes: Buffer, least: number) => readonly View[];

const [percent, plus, backslash, ampersand] = [0x25, 0x2b, 0x5c, 0x26];

/** The value of a hexadecimal digit; below zero for anything else. */
const nibbles = new Int8Array(256).fill(-1);
for (const [value, digit] of [...'0123456789abcdef'].entries()) {
  nibbles[digit.charCodeAt(0)] = value;
  nibbles[digit.toUpperCase().charCodeAt(0)] = value;
}
/** The value of a digit of base64, in both alphabets. */
const sextets = new Int8Array(256).fill(-1);
for (const alphabet of ['+/', '-_'])
  for (const [value, digit] of [
    ...`ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789${alphabet}`,
  ].entries())
    sextets[digit.charCodeAt(0)] = value;

/** `%2F`, in any case, whatever else is encoded; with `+` for a space where there is one. */
const readPercent: Read = bytes => {
  const found = bytes.includes(percent);
  const plain = found ? percentView(bytes) : [];
  return bytes.includes(plus) ? [...plain, ...percentView(bytes, { plusIsSpace: true })] : plain;
};

function percentView(bytes: Buffer, { plusIsSpace = false } = {}): View[] {
  const view = viewOf(bytes.length, draft => {
    for (let at = 0; at < bytes.length; ) {
      const byte = bytes[at]!;
      const high = byte === percent ? nibbles[bytes[at + 1] ?? 0]! : -1;
      const low = high < 0 ? -1 : nibbles[bytes[at + 2] ?? 0]!;
      if (low >= 0) {
        draft.add(high * 16 + low, at, at + 3);
        at += 3;
      } else {
        draft.add(plusIsSpace && byte === plus ? 0x20 : byte, at, at + 1);
        at++;
      }
    }
  });
  return [view];
}

const escapes = new Map(
  Object.entries({ b: 8, f: 12, n: 10, r: 13, t: 9, '"': 34, "'": 39, '\\': 92, '/': 47 }).map(
    ([char, code]) => [char.charCodeAt(0), code],
  ),
);

/** So often may JSON be told within JSON. */
const deepestJson = 6;

/** The escapes of JSON, level by level as long as there are more. */
const readJson: Read = bytes => {
  const views: View[] = [];
  let current = bytes;
  let above: View | undefined;
  while (views.length < deepestJson && current.includes(backslash)) {
    const own = jsonView(current);
    const view = above ? composed(own, above) : own;
    if (own.bytes.length === current.length) break;
    views.push(view);
    above = view;
    current = view.bytes;
  }
  return views;
};

function jsonView(bytes: Buffer): View {
  return viewOf(bytes.length, draft => {
    for (let at = 0; at < bytes.length; ) at = readEscape(bytes, at, draft);
  });
}

/** Reads what stands at a place, an escape or a byte as it is; gives where the next begins. */
function readEscape(bytes: Buffer, at: number, draft: Draft): number {
  const next = bytes[at] === backslash ? bytes[at + 1] : undefined;
  const known = next === undefined ? undefined : escapes.get(next);
  if (known !== undefined) {
    draft.add(known, at, at + 2);
    return at + 2;
  }
  const unit = next === 0x75 ? hexAt(bytes, at + 2, 4) : -1;
  if (unit >= 0) {
    const isHigh = unit >> 10 === 0x36 && bytes[at + 6] === backslash && bytes[at + 7] === 0x75;
    const low = isHigh ? hexAt(bytes, at + 8, 4) : -1;
    const isPair = low >> 10 === 0x37;
    const end = at + (isPair ? 12 : 6);
    draft.addCodePoint(isPair ? ((unit - 0xd800) << 10) + low - 0xdc00 + 0x10000 : unit, at, end);
    return end;
  }
  const short = next === 0x78 ? hexAt(bytes, at + 2, 2) : -1;
  const end = at + (short >= 0 ? 4 : 1);
  draft.add(short >= 0 ? short : bytes[at]!, at, end);
  return end;
}

function hexAt(bytes: Buffer, at: number, digits: number): number {
  let value = 0;
  for (let index = 0; index < digits; index++) {
    const nibble = nibbles[bytes[at + index] ?? 0]!;
    if (nibble < 0) return -1;
    value = value * 16 + nibble;
  }
  return value;
}

const entities = new Map([
  ['amp', 38],
  ['lt', 60],
  ['gt', 62],
  ['quot', 34],
  ['apos', 39],
]);

/** The entities of XML, by name and by number. */
const readXml: Read = bytes => {
  if (!bytes.includes(ampersand)) return [];
  const view = viewOf(bytes.length, draft => {
    for (let at = 0; at < bytes.length; ) {
      const entity = bytes[at] === ampersand ? entityAt(bytes, at) : undefined;
      if (entity) draft.addCodePoint(entity.code, at, entity.end);
      else draft.add(bytes[at]!, at, at + 1);
      at = entity?.end ?? at + 1;
    }
  });
  return view.bytes.length === bytes.length ? [] : [view];
};

function entityAt(bytes: Buffer, at: number): { code: number; end: number } | undefined {
  const [written, name, digits, hex] =
    /^&(?:([a-z]{2,4})|#(\d{1,7})|#[xX]([0-9a-fA-F]{1,6}));/.exec(bytes.toString('latin1', at, at + 12)) ??
    [];
  if (written === undefined) return undefined;
  const code = name === undefined ? Number.parseInt(digits ?? hex!, hex ? 16 : 10) : entities.get(name);
  return code === undefined || code > 0x10ffff ? undefined : { code, end: at + written.length };
}

/** Hex in any case, with separators between its bytes or without. */
const readHex: Read = (bytes, least) => {
  const runs = runsOf(bytes, nibbles, isHexSeparator, least * 2);
  return runs.length === 0 ? [] : [0, 1].flatMap(shift => hexView(bytes, runs, shift));
};

function isHexSeparator(byte: number): boolean {
  return byte === 0x3a || byte === 0x2d || byte === 0x20 || byte === 0x2c || byte === 10 || byte === 13;
}

function hexView(bytes: Buffer, runs: readonly Int32Array[], shift: number): View {
  return decodedView(bytes, runs, (places, draft) => {
    for (let at = shift; at + 1 < places.length; at += 2) {
      const [high, low] = [places[at]!, places[at + 1]!];
      draft.add(nibbles[bytes[high]!]! * 16 + nibbles[bytes[low]!]!, high, low + 1);
    }
  });
}

/** Decodes stretch by stretch; what stands between two is no part of either. */
function decodedView(
  bytes: Buffer,
  runs: readonly Int32Array[],
  decode: (places: Int32Array, into: Draft) => void,
): View {
  const most = runs.reduce((sum, run) => sum + run.length + 1, 0);
  const atEnd = runs.at(-1)?.at(-1) === bytes.length - 1;
  const read = (options: DraftOptions) => {
    const [draft, text] = [new Draft(most, options), new Draft(most, options)];
    for (const places of runs) {
      const from = draft.length;
      decode(places, draft);
      const isText = draft.isMostlyText(from);
      const last = places[places.length - 1]!;
      draft.add(0, last, last);
      if (isText) text.append(draft, from);
    }
    // The gap behind the last one is none.
    if (atEnd) draft.length--;
    return { draft, text };
  };
  const { draft, text } = read({ notesPlaces: false });
  const placed = once(() => read({ notesPlaces: true }));
  return {
    bytes: draft.bytes,
    atEnd,
    places: () => placed().draft,
    text: { bytes: text.bytes, atEnd: false, places: () => placed().text },
  };
}

/** Base64 in both alphabets, over line ends, whatever stands before it. */
const readBase64: Read = (bytes, least) => {
  const runs = runsOf(bytes, sextets, isLineEnd, Math.ceil((least * 4) / 3));
  return runs.length === 0 ? [] : [0, 1, 2, 3].flatMap(shift => base64View(bytes, runs, shift));
};

function isLineEnd(byte: number): boolean {
  return byte === 10 || byte === 13;
}

function base64View(bytes: Buffer, runs: readonly Int32Array[], shift: number): View {
  return decodedView(bytes, runs, (places, draft) => {
    for (let at = shift; at + 1 < places.length; at += 4) {
      const [a, b, c, d] = [places[at]!, places[at + 1]!, places[at + 2], places[at + 3]];
      const [first, second] = [sextets[bytes[a]!]!, sextets[bytes[b]!]!];
      draft.add(((first << 2) | (second >> 4)) & 0xff, a, b + 1);
      if (c === undefined) break;
      const third = sextets[bytes[c]!]!;
      draft.add(((second << 4) | (third >> 2)) & 0xff, b, c + 1);
      if (d === undefined) break;
      draft.add(((third << 6) | sextets[bytes[d]!]!) & 0xff, c, d + 1);
    }
  });
}

/** Stretches of digits that are long enough: where each digit stands, what is dropped between them left out. */
function runsOf(
  bytes: Buffer,
  digits: Int8Array,
  isDropped: (byte: number) => boolean,
  least: number,
): Int32Array[] {
  const runs: Int32Array[] = [];
  let [start, count, dropped] = [0, 0, 0];
  const end = (at: number) => {
    if (count >= least) runs.push(placesOf(bytes.subarray(0, at), digits, start, count));
    count = 0;
  };
  for (let at = 0; at < bytes.length; at++) {
    if (digits[bytes[at]!]! >= 0) {
      if (count === 0) start = at;
      count++;
      dropped = 0;
    } else if (count > 0) {
      dropped++;
      if (dropped > 2 || !isDropped(bytes[at]!)) end(at);
    }
  }
  end(bytes.length);
  return runs;
}

/** @param count how many there are */
function placesOf(bytes: Buffer, digits: Int8Array, start: number, count: number): Int32Array {
  const places = new Int32Array(count);
  let next = 0;
  for (let at = start; at < bytes.length; at++) if (digits[bytes[at]!]! >= 0) places[next++] = at;
  return places;
}

const reads: readonly Read[] = [readPercent, readJson, readXml, readHex, readBase64];

/**
 * Every way to read some bytes, one within the other two deep.
 * @param least the shortest stretch of hex or base64 that is of interest, in bytes that it stands for
 */
export function* viewsOf(bytes: Buffer, least: number): Generator<View> {
  for (const read of reads) {
    for (const outer of read(bytes, least)) {
      yield outer;
      // What comes out as no text was decoded wrongly, or holds nothing that could be read further.
      const further = outer.text ?? outer;
      if (further.bytes.length === 0) continue;
      for (const again of reads)
        for (const inner of again(further.bytes, least)) yield composed(inner, further);
    }
  }
}
