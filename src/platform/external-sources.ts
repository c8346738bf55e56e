import type { ClockAndRandom } from '../core/model/clock-and-random.ts';
import type { ExternalSources } from '../core/model/external-sources.ts';
import type { Ports } from '../core/runner/ports.ts';
import type { FilePlaces } from './file-places.ts';
import { readBytesInside, readInside } from './files.ts';

/** The present, and chance. */
export const clockAndRandom: ClockAndRandom = {
  now: Date.now,
  uuid: () => crypto.randomUUID(),
  random: Math.random,
};

/** The same present, and chance that takes the same turns every time. */
export function seededRandom(seed: string): ClockAndRandom {
  const random = createRandom(seed);
  const digit = () => Math.floor(random() * 16).toString(16);
  const digits = (count: number) => Array.from({ length: count }, digit).join('');
  const variant = () => '89ab'[Math.floor(random() * 4)];
  const uuid = () => `${digits(8)}-${digits(4)}-4${digits(3)}-${variant()}${digits(3)}-${digits(12)}`;
  return { now: clockAndRandom.now, random, uuid };
}

/** The counter mode of a hash of 32 bits (splitmix32): good enough to choose by, and no secret. */
function createRandom(seed: string): () => number {
  let state = 0x811c9dc5;
  for (const char of seed) state = Math.imul(state ^ char.codePointAt(0)!, 0x01000193);
  return () => {
    state = (state + 0x9e3779b9) | 0;
    let mixed = state ^ (state >>> 16);
    mixed = Math.imul(mixed, 0x21f0aaad);
    mixed ^= mixed >>> 15;
    mixed = Math.imul(mixed, 0x735a2d97);
    return ((mixed ^ (mixed >>> 15)) >>> 0) / 2 ** 32;
  };
}

/** The same chance for every turn, or, with a seed, one of its own for each: what runs at the same time takes none away. */
export function clockAndRandomFrom(seed: string | undefined): Ports['clockAndRandomFor'] {
  return seed === undefined ? () => clockAndRandom : (...turn) => seededRandom([seed, ...turn].join('/'));
}

/** What variables and statements stand for that lies outside of their collection. Files are read once. */
export function openExternalSources({
  root,
  confined = false,
}: Pick<FilePlaces, 'root' | 'confined'>): ExternalSources {
  const places = { root, anywhere: !confined };
  return {
    variable: osEnvironment,
    file: onceEach(path => readInside(places, path)),
    bytes: onceEach(path => readBytesInside(places, path)),
  };
}

function onceEach<Content>(read: (path: string) => Content): (path: string) => Content {
  const known = new Map<string, Content>();
  return path => {
    const content = known.get(path) ?? read(path);
    known.set(path, content);
    return content;
  };
}

/** The environment of the process. */
export const osEnvironment = (name: string): string | undefined => process.env[name];
