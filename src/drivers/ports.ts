import { randomUUID } from 'node:crypto';
import { setTimeout as delay } from 'node:timers/promises';
import type { Ports } from '../core/engine/ports.ts';
import { createHttpDriver } from './http/driver.ts';

/** The world as it is: the network, the clock, the environment of the process. */
export async function openPorts(): Promise<Ports & { close(): Promise<void> }> {
  const http = await createHttpDriver();
  return {
    send: http.send,
    close: http.close,
    now: Date.now,
    elapsed: () => performance.now(),
    uuid: () => randomUUID(),
    sleep: (milliseconds, signal) => delay(milliseconds, undefined, { signal }).catch(() => undefined),
    environment: name => process.env[name],
  };
}
