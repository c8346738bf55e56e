import { readFileSync } from 'node:fs';
import type { ResponseSource } from '../core/language/ast.ts';
import { ResponseView } from '../core/language/response.ts';
import type { Scene } from '../core/language/scene.ts';
import type { Payload } from '../core/record/events.ts';
import { Masker } from '../core/record/mask.ts';
import { UsageMistake } from './exit.ts';
import { printPicked, readPicker, sceneFor } from './expression.ts';
import { readLast } from './last.ts';
import type { Terminal } from './terminal.ts';

/** Evaluates a value or a condition against the last response that was sent for, a file, or standard input (`-`). */
export async function pickCommand(
  text: string,
  file: string | undefined,
  { quiet = false }: { quiet?: boolean },
  terminal: Terminal,
): Promise<void> {
  const picker = await readPicker(text, terminal);
  if (!picker) return;
  // What is not there to be looked at must not be taken for absent, nor for something that was never there.
  for (const source of picker.sources) refuseUnknown(source, file);
  const scene = file === undefined ? sceneOfLast() : sceneOfFile(file);
  printPicked(picker.pick(scene), terminal, new Masker(), quiet);
}

const inBodies = new Set(['path', 'body', 'bytes', 'size', 'xml', 'html']);

function refuseUnknown({ form, sent }: ResponseSource, file: string | undefined): void {
  if (file !== undefined && (sent || !inBodies.has(form)))
    throw new UsageMistake(`A file holds a body alone: there is no ${sent ? 'request' : form} in it.`);
  if (form === 'cookie')
    throw new UsageMistake('The last response is kept without its cookies; mervok send --pick sees them.');
}

function sceneOfLast(): Scene {
  const { request, response, times, connection } = readLast();
  const message = {
    url: request.url,
    reason: response?.reason ?? '',
    version: connection?.protocol ?? '',
    time: times.total,
  };
  const sentBody = bytesOf(request.body);
  const sent = new ResponseView({
    ...message,
    status: 0,
    headers: request.headers,
    body: sentBody,
    size: sentBody.length,
  });
  if (!response) return sceneFor(undefined, sent);
  const { status, headers, body, trailers = [] } = response;
  const bytes = bytesOf(body);
  const about = body.cut ? { unreadable: 'the body was written to a file' } : {};
  return sceneFor(
    new ResponseView({ ...message, status, headers, trailers, body: bytes, size: body.size }, about),
    sent,
  );
}

function sceneOfFile(file: string): Scene {
  let body: Buffer;
  try {
    body = readFileSync(file === '-' ? 0 : file);
  } catch (error) {
    throw new UsageMistake(`'${file}' cannot be read (${(error as NodeJS.ErrnoException).code}).`);
  }
  return sceneFor(
    new ResponseView({
      url: '',
      status: 200,
      reason: '',
      version: '',
      headers: [],
      body,
      size: body.length,
      time: 0,
    }),
  );
}

function bytesOf(payload: Payload | undefined): Buffer {
  if (payload?.base64 !== undefined) return Buffer.from(payload.base64, 'base64');
  return Buffer.from(payload?.text ?? '');
}
