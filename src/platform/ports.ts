import type { Ports } from '../core/runner/ports.ts';
import { elapsed } from './clock.ts';
import {
  clockAndRandom,
  clockAndRandomFrom,
  openExternalSources,
  osEnvironment,
} from './external-sources.ts';
import type { FilePlaces } from './file-places.ts';
import { Jar } from './http/cookies.ts';
import { createHttpDriver } from './http/driver.ts';

/** In milliseconds: what a timer of the system can be set to. What is longer would be over at once. */
const longestTimer = 2 ** 31 - 1;

async function sleep(milliseconds: number, signal: AbortSignal): Promise<void> {
  const { setTimeout: delay } = await import('node:timers/promises');
  const end = elapsed() + milliseconds;
  for (let left = milliseconds; left > 0 && !signal.aborted; left = end - elapsed())
    await delay(Math.min(longestTimer, left), undefined, { signal }).catch(() => undefined);
}

/** Everything outside made real: the network, the clock, the environment of the process. */
export async function openPorts(
  places: FilePlaces,
  seed?: string,
): Promise<Ports & { close(): Promise<void> }> {
  const http = await createHttpDriver({
    ...places,
    environment: osEnvironment,
    now: clockAndRandom.now,
    sleep,
  });
  return {
    // What reaches out, by the kind of operation.
    operations: { http: { send: http.send, openPage: Jar.from } },
    close: http.close,
    ...clockAndRandom,
    clockAndRandomFor: clockAndRandomFrom(seed),
    elapsed,
    sleep,
    external: openExternalSources(places.root),
  };
}
