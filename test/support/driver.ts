import { after } from 'node:test';
import type { Exchange } from '../../src/core/model/http-messages.ts';
import { defaultTransport } from '../../src/core/settings/transport.ts';
import type { OutgoingRequest, Sent } from '../../src/core/steps/http/http-port.ts';
import { createHttpDriver, type HttpDriverOptions } from '../../src/platform/http/driver.ts';

export interface TestDriver {
  sendAll(
    url: string,
    more?: Partial<OutgoingRequest> & { saveTo?: string },
    signal?: AbortSignal,
  ): Promise<Sent>;
  /** The exchange that counts. */
  send(
    url: string,
    more?: Partial<OutgoingRequest> & { saveTo?: string },
    signal?: AbortSignal,
  ): Promise<Exchange>;
  /** How long was waited between tries, in milliseconds. */
  readonly waits: number[];
}

/** A driver that waits for nothing, closed when the tests of the file end. */
export async function openDriver(options: Partial<HttpDriverOptions> = {}): Promise<TestDriver> {
  const waits: number[] = [];
  const driver = await createHttpDriver({
    root: process.cwd(),
    anywhere: false,
    environment: () => undefined,
    now: Date.now,
    sleep: async milliseconds => {
      waits.push(milliseconds);
    },
    ...options,
  });
  after(() => driver.close());
  const { timeout, redirects, tls, limits } = defaultTransport;
  const sendAll: TestDriver['sendAll'] = (url, more = {}, signal = new AbortController().signal) =>
    driver.send(
      { method: 'GET', url, headers: [], credentials: new Set(), timeout, redirects, tls, limits, ...more },
      signal,
    );
  return {
    waits,
    sendAll,
    send: async (url, more, signal) => (await sendAll(url, more, signal)).exchanges.at(-1)!,
  };
}
