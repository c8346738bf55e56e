import { UsageError } from '../core/model/usage-error.ts';
import { readDuration } from '../core/values/compare.ts';
import { clockAndRandom, seededRandom } from '../platform/external-sources.ts';
import type { Weather } from '../platform/stand-in/http-server.ts';

export interface WeatherFlags {
  readonly delay?: string;
  readonly break?: string;
  readonly seed?: string;
}

const breakages = ['unavailable', 'reset', 'silence'] as const;

/** What a client is to meet besides answers; nothing where nobody asks for it. Throws UsageError. */
export function readWeather({ delay, break: share, seed }: WeatherFlags): Weather | undefined {
  if (delay === undefined && share === undefined) {
    if (seed !== undefined) throw new UsageError('--seed is for --delay and --break, and neither is there.');
    return undefined;
  }
  const { random } = seed === undefined ? clockAndRandom : seededRandom(seed);
  const [least, most] = delay === undefined ? [0, 0] : readDelay(delay);
  const part = share === undefined ? 0 : readPart(share);
  let turn = 0;
  return {
    delay: () => (least === most ? least : least + random() * (most - least)),
    breakage: () => (part > 0 && random() < part ? breakages[turn++ % breakages.length] : undefined),
  };
}

/** `200 ms`, `50..300 ms`; in milliseconds. */
function readDelay(text: string): [number, number] {
  const [, first = '', second, unit = ''] =
    /^\s*([\d.]+)\s*(?:\.\.\s*([\d.]+))?\s*([a-z]*)\s*$/i.exec(text.replace(/(\d)\.\.(\d)/, '$1 .. $2')) ??
    [];
  const [least, most] = [first, second ?? first].map(each => readDuration(`${each} ${unit}`)?.milliseconds);
  if (least === undefined || most === undefined || most < least)
    throw new UsageError(
      `--delay takes a time, or two of them, not '${text}'. For example: --delay '200 ms', --delay '50..300 ms'`,
    );
  return [least, most];
}

/** `5 %`, as a part of one. */
function readPart(text: string): number {
  const digits = /^\s*(\d+(?:\.\d+)?)\s*%?\s*$/.exec(text)?.[1];
  const part = Number(digits) / 100;
  if (digits === undefined || part > 1)
    throw new UsageError(`--break takes a share of the requests, not '${text}'. For example: --break '5 %'`);
  return part;
}
