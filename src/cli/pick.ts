import { readFileSync } from 'node:fs';
import { ResponseView } from '../core/language/response.ts';
import type { Scene } from '../core/language/scene.ts';
import type { Payload } from '../core/record/events.ts';
import { exitCodes, UsageMistake } from './exit.ts';
import { readPicker } from './expression.ts';
import { readLast } from './last.ts';
import { printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** Evaluates a value or a condition against the last response that was sent for, a file, or standard input (`-`). */
export async function pickCommand(text: string, file: string | undefined, terminal: Terminal): Promise<void> {
  const read = await readPicker(text);
  if ('findings' in read) {
    await printFindings(read.findings, terminal);
    process.exitCode = exitCodes.nothingSent;
    return;
  }
  const { output, problem } = read.picker(file === undefined ? sceneOfLast() : sceneOfFile(file));
  for (const each of output)
    if (typeof each === 'string') terminal.out(`${each}\n`);
    else process.stdout.write(each);
  if (problem === undefined) return;
  terminal.err(`${problem}\n`);
  process.exitCode = exitCodes.failed;
}

function sceneOfLast(): Scene {
  const { request, response, times } = readLast();
  const message = { url: request.url, reason: response?.reason ?? '', version: '', time: times.total };
  const sentBody = bytesOf(request.body);
  const sent = new ResponseView({
    ...message,
    status: 0,
    headers: request.headers,
    body: sentBody,
    size: sentBody.length,
  });
  if (!response) return scene(undefined, sent);
  const { status, headers, body, trailers = [] } = response;
  const bytes = bytesOf(body);
  const about = body.cut ? { unreadable: 'the body was written to a file' } : {};
  return scene(
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
  return scene(
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

function scene(response: ResponseView | undefined, sent?: ResponseView): Scene {
  return {
    response,
    sent,
    lookup: () => undefined,
    world: { now: Date.now, uuid: () => crypto.randomUUID() },
    notes: [],
  };
}

function bytesOf(payload: Payload | undefined): Buffer {
  if (payload?.base64 !== undefined) return Buffer.from(payload.base64, 'base64');
  return Buffer.from(payload?.text ?? '');
}
