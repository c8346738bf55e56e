import type { OperationFault } from '../../core/steps/operation-port.ts';
import type { FilledDatabase, OutgoingQuery } from '../../core/steps/query/query-port.ts';
import { counted } from '../../core/text/words.ts';
import { durationText } from '../../core/values/text.ts';
import { TlsError } from '../tls-files.ts';

export const interrupted: OperationFault = {
  kind: 'interrupted',
  message: 'The run was interrupted before the query had ended.',
};

export function timeFault({ timeout }: OutgoingQuery): OperationFault {
  return {
    kind: 'timeout',
    message: `The query had not ended within ${durationText(timeout)}. The limit is the setting 'timeout'.`,
  };
}

export function rowsFault({ rows }: OutgoingQuery): OperationFault {
  return {
    kind: 'limit',
    message: `The query returns more than ${counted(rows, 'row')}. The limit is the setting 'limits': { rows: ${rows} }.`,
  };
}

/** Of two columns one would hide the other. */
export function columnFault(columns: readonly string[]): OperationFault | undefined {
  const twice = columns.find((name, at) => columns.indexOf(name) !== at);
  return twice === undefined
    ? undefined
    : {
        kind: 'statement',
        message: `Two columns are called '${twice}'. Give one of them another name: … as …`,
      };
}

/** Rows lie beside the run while they are used. */
export function asideFault({ message }: Error): OperationFault {
  return {
    kind: 'limit',
    message: `The rows cannot be put aside in the folder of temporary files: ${message}. Another one is named by TMPDIR.`,
  };
}

export function whereOf({ name, host, port, database }: FilledDatabase): string {
  return host === undefined
    ? `${name} (${database})`
    : `${name} at ${host}${port === undefined ? '' : `:${port}`}`;
}

/** Faults of the connection that all servers have in common. */
export function connectionFault(
  database: FilledDatabase,
  error: NodeJS.ErrnoException,
): OperationFault | undefined {
  const { code = '', message } = error;
  if (error instanceof TlsError) return { kind: 'tls', message };
  const where = whereOf(database);
  if (code === 'ECONNREFUSED' || code === 'EHOSTUNREACH' || code === 'ENETUNREACH')
    return {
      kind: 'refused',
      message: `No connection to the database ${where}: it is refused. Is it running, and are host and port right?`,
    };
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN')
    return {
      kind: 'name',
      message: `The host of the database ${where} is not found: ${code}. Is its name right, and does this machine reach a name server?`,
    };
  // One client gives all of these the same code, which says nothing.
  if (/^(?:CERT_|ERR_TLS|ERR_SSL|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO|EPROTO|HANDSHAKE_SSL_ERROR)/.test(code))
    return { kind: 'tls', message: `No safe connection to the database ${where}: ${tlsProblem(error)}` };
  if (
    code === 'ECONNRESET' ||
    code === 'EPIPE' ||
    code === 'PROTOCOL_CONNECTION_LOST' ||
    /terminated unexpectedly|closed state|Connection terminated/.test(message)
  )
    return {
      kind: 'reset',
      message: `The database ${where} closed the connection before the query had ended.`,
    };
  if (code === 'ETIMEDOUT')
    return { kind: 'timeout', message: `No connection to the database ${where}: nothing answers.` };
  return undefined;
}

function tlsProblem({ code, message }: NodeJS.ErrnoException): string {
  const said = message.replace(/\.$/, '') + (code === 'HANDSHAKE_SSL_ERROR' ? '.' : ` (${code}).`);
  // Of another machine: no authority would help.
  if (/altnames/.test(message)) return said;
  return `${said} An authority of your own is named by the setting 'tls': { ca: FILE }.`;
}

export function noTlsFault(database: FilledDatabase): OperationFault {
  return {
    kind: 'tls',
    message: `The database ${whereOf(database)} speaks no TLS, which it has to where it is not on this machine. Where that is as it should be, say so: tls: none`,
  };
}

export function signInFault(database: FilledDatabase, said: string): OperationFault {
  return {
    kind: 'sign-in',
    message: `The database ${whereOf(database)} does not let ${database.user ?? 'nobody'} in: ${said.replace(/\.$/, '')}.`,
  };
}

export function missingFault(database: FilledDatabase, said: string): OperationFault {
  return {
    kind: 'missing',
    message: `The database ${whereOf(database)} is not there: ${said.replace(/\.$/, '')}.`,
  };
}

export function statementFault(said: string, hint?: string): OperationFault {
  const mend = hint === undefined ? '' : ` ${hint.replace(/\.?$/, '.')}`;
  return { kind: 'statement', message: `The database says: ${said.replace(/\.?$/, '.')}${mend}` };
}
