import type { HttpPort } from './http/http-port.ts';

/** What reaches out, by the kind of operation. */
export interface OperationPorts {
  readonly http: HttpPort;
}
