// What of the package is used, as it is: its client without its pool.

declare module 'pg/lib/client.js' {
  import type { Client } from 'pg';

  const client: typeof Client;
  export default client;
}

declare module 'pg/lib/query.js' {
  import type { EventEmitter } from 'node:events';
  export interface Field {
    readonly name: string;
    readonly dataTypeID: number;
  }
  export interface Result {
    readonly command: string | null;
    readonly rowCount: number | null;
    readonly fields: readonly Field[];
  }
  export default class Query extends EventEmitter {
    constructor(options: object);
    submit(connection: unknown): Error | null;
  }
}
