import { readFileSync } from 'node:fs';
import type { ResponseSource } from '../core/language/ast.ts';
import type { EvaluationContext } from '../core/language/evaluation-context.ts';
import type { ExchangeEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { RequestView, ResponseView } from '../core/steps/http/response-view.ts';
import { contextFor, printPicked, readPicker } from './expression.ts';
import { readLast } from './last.ts';
import { answerOf, bytesOf } from './last-answer.ts';
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
  const context = file === undefined ? contextOfLast() : contextOfFile(file);
  printPicked(picker.pick(context), terminal, new Masker(), { quiet });
}

const inBodies = new Set(['path', 'body', 'bytes', 'size', 'xml', 'html']);

function refuseUnknown({ form, sent }: ResponseSource, file: string | undefined): void {
  if (file !== undefined && (sent || !inBodies.has(form)))
    throw new UsageError(`A file holds a body alone: there is no ${sent ? 'request' : form} in it.`);
  if (form === 'cookie')
    throw new UsageError('The last response is kept without its cookies; mervok send --pick sees them.');
}

function contextOfLast(): EvaluationContext {
  const last = readLast();
  return last.type === 'operation' ? contextFor(answerOf(last)) : contextOfExchange(last);
}

function contextOfExchange({ request, response, times, connection }: ExchangeEvent): EvaluationContext {
  const message = {
    url: request.url,
    reason: response?.reason ?? '',
    version: connection?.protocol ?? '',
    time: times.total,
  };
  const sentBody = bytesOf(request.body);
  const sent = new RequestView({
    ...message,
    status: 0,
    headers: request.headers,
    body: sentBody,
    size: sentBody.length,
  });
  if (!response) return contextFor(undefined, sent);
  const { status, headers, body, trailers = [] } = response;
  const bytes = bytesOf(body);
  const about = body.cut ? { unreadable: 'the body was written to a file' } : {};
  return contextFor(
    new ResponseView({ ...message, status, headers, trailers, body: bytes, size: body.size }, about),
    sent,
  );
}

function contextOfFile(file: string): EvaluationContext {
  let body: Buffer;
  try {
    body = readFileSync(file === '-' ? 0 : file);
  } catch (error) {
    throw new UsageError(`'${file}' cannot be read (${(error as NodeJS.ErrnoException).code}).`);
  }
  return contextFor(
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
