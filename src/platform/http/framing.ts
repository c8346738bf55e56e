import type { Header } from '../../core/model/http-messages.ts';
import type { OutgoingBody } from './outgoing.ts';

/** How a body goes out where its headers ask for more than that it be sent. */
export interface Framing {
  /** In chunks of which nobody knows beforehand how many there are (RFC 9112, 7.1). */
  readonly chunked: boolean;
  /** Once the other side says that it wants it (RFC 9110, 10.1.1). */
  readonly waits: boolean;
}

export const plain: Framing = { chunked: false, waits: false };

/** What keeps a request from being framed as its headers say. */
export class FramingError extends Error {}

/** Throws FramingError. */
export function framingOf(headers: readonly Header[], hasBody: boolean, isHttp2: boolean): Framing {
  let transfer: string | undefined;
  let expect: string | undefined;
  let length: string | undefined;
  // Looked at for every request: what has another length is another name.
  for (const [name, value] of headers) {
    if (name.length === 17 && /^transfer-encoding$/i.test(name)) transfer = value;
    else if (name.length === 6 && /^expect$/i.test(name)) expect = value;
    else if (name.length === 14 && /^content-length$/i.test(name)) length = value;
  }
  if (transfer === undefined && expect === undefined) return plain;
  if (transfer !== undefined && transfer.trim().toLowerCase() !== 'chunked')
    throw new FramingError(
      `A body goes out as it is, or in chunks: Transfer-Encoding: chunked, not '${transfer}'. What is compressed is sent from a file, with Content-Encoding: gzip.`,
    );
  if (expect !== undefined && expect.trim().toLowerCase() !== '100-continue')
    throw new FramingError(`What can be expected is 100-continue, not '${expect}'.`);
  if (transfer !== undefined && length !== undefined)
    throw new FramingError(
      'Transfer-Encoding and Content-Length do not go together: either the length is known, or the body comes in chunks.',
    );
  if (!hasBody)
    throw new FramingError(
      `${transfer === undefined ? 'Expect' : 'Transfer-Encoding'} is about a body, and the request has none.`,
    );
  if (isHttp2 && expect !== undefined)
    throw new FramingError("Expect: 100-continue is sent by HTTP/1.1 alone; the setting 'http' asks for 2.");
  return { chunked: transfer !== undefined, waits: expect !== undefined };
}

/** Without what the client says itself of chunks. */
export function framedHeaders(headers: readonly Header[], { chunked }: Framing): readonly Header[] {
  return chunked ? headers.filter(([name]) => !/^transfer-encoding$/i.test(name)) : headers;
}

/** In bytes, of a text: what comes from a file comes as it is read. */
const chunkSize = 8192;
/** In milliseconds: nobody may be waited for without end, since not everybody answers (RFC 9110, 10.1.1). */
const longestWait = 1000;

/** Holds a body back until it is wanted. */
export class Invitation {
  readonly isWanted: Promise<boolean>;
  #tell: ((isWanted: boolean) => void) | undefined;
  readonly #timer: NodeJS.Timeout;

  constructor() {
    this.isWanted = new Promise(tell => {
      this.#tell = tell;
    });
    this.#timer = setTimeout(() => this.answer(true), longestWait);
  }

  /** @param isWanted false once everything is over */
  answer(isWanted: boolean): void {
    clearTimeout(this.#timer);
    this.#tell?.(isWanted);
  }
}

/** The pieces of a body as they go out. An empty one sends the head alone. */
export async function* piecesOf(
  body: OutgoingBody,
  invitation: Invitation | undefined,
): AsyncGenerator<Buffer> {
  if (invitation) {
    yield Buffer.alloc(0);
    if (!(await invitation.isWanted)) return;
  }
  const opened = body.open();
  if (!Buffer.isBuffer(opened)) yield* opened;
  else for (let at = 0; at < opened.length; at += chunkSize) yield opened.subarray(at, at + chunkSize);
}
