import type { Berth, BerthState } from './office.ts';

/** A high or a low water. */
export interface Tide {
  readonly kind: 'high' | 'low';
  readonly time: string;
  /** In metres above chart datum; nothing where the gauge was out of order. */
  readonly height: number | undefined;
}

/** What is written in the books of the harbour when it opens. */
export interface Books {
  readonly berths: readonly Berth[];
  readonly gauges: { readonly [quay: string]: readonly Tide[] };
  readonly tariffs: readonly { readonly goods: string; readonly rate: number }[];
  readonly pilots: readonly string[];
  /** Entries of the log of the lighthouse. */
  readonly log: readonly string[];
  readonly forecast: { readonly wind: string; readonly force: number };
  readonly gusts: readonly number[];
  readonly ledgerPages: number;
  /** It lies beyond 2^53, where a double would lose its last digit. */
  readonly firstId: bigint;
}

const firstId = 9_007_199_254_740_993n;

/** The books that the harbour has on every other day. */
const usual: Books = {
  berths: [
    { code: '0417', quay: 'North Quay', depth: 4.2, state: 'free', tariff: 4135, deposit: 100 },
    { code: '0418', quay: 'North Quay', depth: 4.2, state: 'taken', tariff: 4135, deposit: 100 },
    { code: '0501', quay: 'Fish Steps', depth: 2.6, state: 'free', tariff: 2290, deposit: null },
    { code: '0502', quay: 'Fish Steps', depth: 2.6, state: 'closed', tariff: 2290, deposit: null },
    { code: '0733', quay: 'Lighthouse Mole', depth: 7.8, state: 'free', tariff: 8875, deposit: 250 },
    { code: '0734', quay: 'Lighthouse Mole', depth: 7.8, state: 'free', tariff: 8875, deposit: 250 },
  ],
  gauges: {
    'north-quay': [
      { kind: 'low', time: '04:12', height: 0.7 },
      { kind: 'high', time: '10:25', height: 4.2 },
      { kind: 'low', time: '16:40', height: 0.9 },
      { kind: 'high', time: '22:51', height: 4.0 },
    ],
    'lighthouse-mole': [
      { kind: 'low', time: '04:05', height: 0.6 },
      { kind: 'high', time: '10:18', height: undefined },
    ],
  },
  tariffs: [
    { goods: 'timber', rate: 0.05 },
    { goods: 'herring', rate: 0 },
  ],
  pilots: ['Curlew', 'Dunlin'],
  log: ['Light on at dusk.'],
  forecast: { wind: 'north-west', force: 5 },
  gusts: [14, 18, 11],
  ledgerPages: 214,
  firstId,
};

/**
 * Other books, which say the same of whatever the pages of the demo name: the berths in the book of the harbour master, one
 * that is closed, the gauges.
 * @param number of the books; 0 for those of every other day
 */
export function booksOf(number: number): Books {
  if (number === 0) return usual;
  const chance = chanceOf(number);
  const between = (low: number, high: number) => low + Math.floor(chance() * (high - low + 1));
  const tenths = (low: number, high: number) => between(low * 10, high * 10) / 10;
  const oneOf = <Item>(list: readonly Item[]) => list[between(0, list.length - 1)]!;
  const some = <Item>(list: readonly Item[], least: number) => {
    const left = [...list];
    const count = between(least, list.length);
    return Array.from({ length: count }, () => left.splice(between(0, left.length - 1), 1)[0]!);
  };
  const named = usual.berths.filter(({ code }) => ['0417', '0501', '0502', '0733'].includes(code));
  const others = Array.from({ length: between(1, 4) }, (_, index): Berth => {
    const depth = tenths(2, 7.6);
    return {
      code: `06${String(between(0, 24) + index * 25).padStart(2, '0')}`,
      quay: oneOf(depth < 4 ? ['Fish Steps', 'Salt Pier'] : ['North Quay', 'Salt Pier', 'Rope Walk']),
      depth,
      state: oneOf<BerthState>(['free', 'free', 'taken', 'closed']),
      tariff: between(1500, 9900),
      deposit: oneOf([null, between(5, 40) * 10]),
    };
  });
  const time = (hour: number) =>
    `${String(hour).padStart(2, '0')}:${String(between(0, 59)).padStart(2, '0')}`;
  const low = (hour: number): Tide => ({ kind: 'low', time: time(hour), height: tenths(0.2, 0.9) });
  const high = (hour: number): Tide => ({ kind: 'high', time: time(hour), height: tenths(4.2, 4.9) });
  return {
    berths: [...named, ...others].sort((a, b) => (a.code < b.code ? -1 : 1)),
    gauges: {
      'north-quay': [low(between(1, 5)), high(between(7, 11)), low(between(13, 17)), high(between(19, 23))],
      'lighthouse-mole': [
        low(between(1, 5)),
        { kind: 'high', time: time(between(7, 11)), height: undefined },
      ],
    },
    tariffs: some(['timber', 'herring', 'salt', 'rope', 'tar'], 2).map(goods => ({
      goods,
      rate: between(0, 20) / 100,
    })),
    pilots: some(['Curlew', 'Dunlin', 'Plover', 'Sanderling', 'Turnstone'], 2),
    log: [
      'Light on at dusk.',
      ...some(['Fog from midnight.', 'Oil is running low.', 'A sail in the west.'], 0),
    ],
    forecast: { wind: oneOf(['north', 'west', 'south-east', 'south-west']), force: between(0, 12) },
    gusts: Array.from({ length: between(2, 6) }, () => between(3, 40)),
    ledgerPages: between(201, 600),
    firstId: firstId + BigInt(between(1, 500_000)) * 2n,
  };
}

/** The same numbers from 0 up to 1 for the same books (mulberry32). */
function chanceOf(seed: number): () => number {
  let state = (seed * 0x9e3779b9) | 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}
