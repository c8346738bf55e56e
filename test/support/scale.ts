/** `npm run harden` proves at full length what `npm test` proves in a few seconds. */
const isFull = process.env.MERVOK_HARDENING === 'full';

export function scaled(full: number, bounded: number): number {
  return isFull ? full : bounded;
}

/** What chance begins with: the same every time, but for a full run, or where the seed of one is given again. */
export const seed = Number(process.env.MERVOK_SEED ?? (isFull ? Date.now() % 1e9 : 417));
