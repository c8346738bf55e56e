import type { CommandPort } from './command/command-port.ts';
import type { HttpPort } from './http/http-port.ts';
import type { QueryPort } from './query/query-port.ts';
import type { ScriptPort } from './script/script-port.ts';

/** What reaches out, by the kind of operation. */
export interface OperationPorts {
  readonly http: HttpPort;
  readonly command: CommandPort;
  readonly query: QueryPort;
  readonly script: ScriptPort;
}
