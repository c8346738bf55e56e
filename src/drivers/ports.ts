import type { Ports } from '../core/engine/ports.ts';
import { elapsed } from './clock.ts';
import { createHttpDriver } from './http/driver.ts';

/** The world as it is: the network, the clock, the environment of the process. */
export async function openPorts(): Promise<Ports & { close(): Promise<void> }> {
  const http = await createHttpDriver();
  return {
    send: http.send,
    close: http.close,
    now: Date.now,
    elapsed,
    uuid: () => crypto.randomUUID(),
    sleep: async (milliseconds, signal) => {
      const { setTimeout: delay } = await import('node:timers/promises');
      await delay(milliseconds, undefined, { signal }).catch(() => undefined);
    },
    environment: name => process.env[name],
  };
}
