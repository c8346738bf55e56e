import type { Fault, FaultKind } from '../../core/model/http-messages.ts';
import { durationText } from '../../core/values/text.ts';
import { limitText } from '../limit-text.ts';
import { OtherVersion, ProxyUnreachable, TunnelError } from './pool.ts';
import type { BodyError } from './receive.ts';

const kindsByCode = new Map<string, FaultKind>([
  ['ECONNREFUSED', 'refused'],
  ['EHOSTUNREACH', 'refused'],
  ['ENETUNREACH', 'refused'],
  ['EADDRNOTAVAIL', 'refused'],
  ['ENOTFOUND', 'name'],
  ['EAI_AGAIN', 'name'],
  ['ETIMEDOUT', 'timeout'],
  ['ECONNRESET', 'reset'],
  ['EPIPE', 'reset'],
  ['UND_ERR_SOCKET', 'reset'],
]);

/** What the client says of a request before it sends it. */
const unsendableCodes = new Set([
  'UND_ERR_INVALID_ARG',
  'UND_ERR_NOT_SUPPORTED',
  'UND_ERR_REQ_CONTENT_LENGTH_MISMATCH',
]);

/** What went wrong with a connection, in words that say what was tried, what happened and what to look at. */
export function faultOf(
  error: Error & { code?: string; errors?: (Error & { code?: string })[] },
  origin: string,
  /** The largest head of a response, in bytes. */
  head: number,
  /** Where the connection goes to a proxy. */
  via?: string,
): Fault {
  if (error instanceof ProxyUnreachable) return faultOf(error.reason, origin, head, error.proxy);
  if (error instanceof TunnelError)
    return {
      kind: 'refused',
      message: `No connection to ${origin}: ${error.proxy} opens no tunnel to it, its status is ${error.status}. Does the setting 'proxy' name the right one${error.status === 407 ? ', and its user and password' : ''}?`,
    };
  if (error instanceof OtherVersion || /NO_APPLICATION_PROTOCOL/.test(error.code ?? ''))
    return {
      kind: 'protocol',
      message: `${origin} does not speak HTTP/2, which the setting 'http' asks for.`,
    };
  const code = error.code ?? error.errors?.[0]?.code ?? '';
  if (code === 'UND_ERR_HEADERS_OVERFLOW')
    return {
      kind: 'limit',
      message: `The head of the response of ${origin} is larger than ${limitText(head)}. The limit is the setting 'limits'.`,
    };
  if (unsendableCodes.has(code))
    return {
      kind: 'unsendable',
      message: `The request cannot be sent: ${error.message.replace(/^(?:invalid|Request body length)/, text => text.toLowerCase()).replace(/\.$/, '')}.${code === 'UND_ERR_REQ_CONTENT_LENGTH_MISMATCH' ? ' Content-Length is set where it is left out.' : ''}`,
    };
  if (code === 'EMFILE' || code === 'ENFILE')
    return {
      kind: 'unsendable',
      message: `No connection to ${origin} could be opened: this machine lets the program open no more files and connections (${code}). Fewer users need fewer; 'ulimit -n' tells and sets the limit.`,
    };
  // What the client holds to be impossible, and servers send all the same: a status of 000, for example.
  if (/broken assertion|AssertionError/.test(`${error.name} ${error.message}`))
    return {
      kind: 'protocol',
      message: `What ${origin} sent is no valid HTTP: its head cannot be read. A status is a number from 100 to 599.`,
    };
  const kind =
    kindsByCode.get(code) ??
    (/^(?:CERT_|ERR_TLS|ERR_SSL|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO|EPROTO)/.test(code) ? 'tls' : 'protocol');
  // What comes is no TLS: its first bytes are read as a version, or as a length.
  if (code === 'ERR_SSL_WRONG_VERSION_NUMBER' || code === 'ERR_SSL_PACKET_LENGTH_TOO_LONG') {
    return {
      kind: 'tls',
      message: `What answers at ${origin} does not speak TLS. Is it http:// rather than https://?`,
    };
  }
  const detail = reasonIn(error.message || error.errors?.[0]?.message || code);
  switch (kind) {
    case 'refused':
      return {
        kind,
        message:
          via === undefined
            ? `No connection to ${origin}: ${code === 'ECONNREFUSED' ? 'it is refused' : detail}. Is the server running, and is the port right?`
            : `No connection to the proxy ${via}, which leads to ${origin}: ${code === 'ECONNREFUSED' ? 'it is refused' : detail}. Does the setting 'proxy' name the right one, and is it running?`,
      };
    case 'name':
      return {
        kind,
        message: `The host of ${via === undefined ? origin : `the proxy ${via}`} is not found: ${code}. Is its name right, and does this machine reach a name server?`,
      };
    case 'timeout':
      return { kind, message: `No connection to ${origin}: nothing answers.` };
    case 'reset':
      return {
        kind,
        message: `${origin} closed the connection before the response was complete (${detail}).`,
      };
    case 'tls':
      return { kind, message: `No safe connection to ${origin}: ${tlsReason(code, detail)}` };
    default:
      return {
        kind,
        message: `What ${origin} sent is no valid HTTP, or what was to be sent is not: ${detail}.`,
      };
  }
}

function tlsReason(code: string, detail: string): string {
  if (/SELF_SIGNED|UNABLE_TO_(?:VERIFY|GET_ISSUER)/.test(code))
    return `the authority of its certificate is not known (${code}). An authority of your own is named by the setting 'tls': { ca: FILE }.`;
  if (code === 'CERT_HAS_EXPIRED') return 'its certificate has run out.';
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID')
    return `its certificate is for another name (${detail}). Is the address right?`;
  if (/ALERT_(?:CERTIFICATE_REQUIRED|BAD_CERTIFICATE|HANDSHAKE_FAILURE|UNKNOWN_CA)/.test(code))
    return `it refuses (${detail}). If it wants a client certificate, the setting 'tls' names one: { cert: FILE, key: FILE }.`;
  return `${detail} (${code}). Is its certificate valid and its authority known?`;
}

/** Interim responses (1xx) that never end. */
export function interimFault(origin: string, count: number, head: number): Fault {
  return {
    kind: 'limit',
    message: `${origin} answered with ${count} interim responses and no final one; together they may be 100, and ${limitText(head)}. The limit is the setting 'limits'.`,
  };
}

/** A body that was not accepted. */
export function bodyFault({ kind, message }: BodyError, origin: string, limit: number): Fault {
  return kind === 'limit'
    ? {
        kind,
        message: `The body of the response of ${origin}${message} is larger than ${limitText(limit)}. The limit is the setting 'limits'.`,
      }
    : { kind, message: `The body of the response of ${origin} ${message}.` };
}

/** OpenSSL puts codes and source files around what it says. */
function reasonIn(message: string): string {
  return (/SSL routines:[^:]*:([^:]+)/.exec(message)?.[1] ?? message).replace(/\.$/, '');
}

export type Phase = 'connect' | 'answer' | 'total';

export function timeoutFault(phase: Phase, limit: number, origin: string): Fault {
  const within = durationText(limit);
  const what = {
    connect: `No connection to ${origin} within ${within}.`,
    answer: `${origin} did not begin to answer within ${within}.`,
    total: `The response of ${origin} was not complete within ${within}.`,
  };
  return { kind: 'timeout', message: `${what[phase]} The limit is the setting 'timeout'.` };
}
