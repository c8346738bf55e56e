import type { Route } from './http.ts';

/** The tide gauge, a part of the harbour that can be started anew. */
export class Gauge {
  #since = new Date();
  #restarts = 0;

  restart(): void {
    this.#since = new Date();
    this.#restarts++;
  }

  routes(): Route[] {
    const tell = () => ({ process: process.pid, since: this.#since.toISOString(), restarts: this.#restarts });
    return [{ method: 'GET', path: '/v1/gauge', answer: () => ({ status: 200, body: tell() }) }];
  }
}
