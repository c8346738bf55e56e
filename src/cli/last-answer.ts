import type { AnswerView } from '../core/language/answer-view.ts';
import type { GenericOperationEvent, Payload } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { CommandView } from '../core/steps/command/command-view.ts';
import type { EndedQuery } from '../core/steps/query/query-port.ts';
import { QueryView } from '../core/steps/query/query-view.ts';
import { JsonError, readJson } from '../core/values/json-document.ts';

/**
 * What came of a query or a command, as statements see it, out of what the record says of it. Throws UsageError where that
 * is not all: a part would be taken for the whole.
 */
export function answerOf(event: GenericOperationEvent): AnswerView {
  const { kind, answer, texts = [], times } = event;
  const { code, words, body, fields } = answer!;
  const time = times.total;
  const errors = texts.find(({ name }) => name === 'errors')?.body;
  if (fields.length > 0 || !isWhole(body) || !isWhole(errors)) throw onlyPart(event);
  if (kind === 'command') {
    const exit = Number(/\d+/.exec(code)?.[0]);
    return new CommandView({ exit, output: bytesOf(body), errors: bytesOf(errors), time }, false);
  }
  const changed = /(\d[\d,]*) rows? changed/.exec(`${code} ${words}`)?.[1];
  return new QueryView({
    time,
    ...(/^\d[\d,]* rows?$/.test(code) && { rows: rowsOf(event) }),
    ...(changed !== undefined && { changed: Number(changed.replaceAll(',', '')) }),
  });
}

function rowsOf(event: GenericOperationEvent): NonNullable<EndedQuery['rows']> {
  const { code, body } = event.answer!;
  const isNone = body.size === 0;
  if (isNone && code !== '0 rows') throw onlyPart(event);
  try {
    return readJson(isNone ? '[]' : body.text!) as never;
  } catch (error) {
    // What is masked in it is no JSON any more.
    if (error instanceof JsonError) throw onlyPart(event);
    throw error;
  }
}

function onlyPart({ case: address }: GenericOperationEvent): UsageError {
  return new UsageError(
    `Only a part of what came is kept here, or some of it is masked. All of it is seen by: mervok send ${address} --pick EXPR`,
  );
}

function isWhole(payload: Payload | undefined): boolean {
  if (!payload || payload.size === 0) return true;
  return payload.cut !== true && (payload.text ?? payload.base64) !== undefined;
}

/** What is kept of a body. */
export function bytesOf(payload: Payload | undefined): Buffer {
  if (payload?.base64 !== undefined) return Buffer.from(payload.base64, 'base64');
  return Buffer.from(payload?.text ?? '');
}
