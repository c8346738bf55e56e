import type { AnswerView } from '../core/language/answer-view.ts';
import type { GenericOperationEvent, Payload } from '../core/model/events.ts';
import { CommandView } from '../core/steps/command/command-view.ts';
import { QueryView } from '../core/steps/query/query-view.ts';
import { readJson } from '../core/values/json-document.ts';

/** What came of a query or a command, as statements see it, out of what the record says of it. */
export function answerOf({ kind, answer, texts = [], times }: GenericOperationEvent): AnswerView {
  const { code, words, body } = answer!;
  const time = times.total;
  if (kind === 'command') {
    const errors = texts.find(({ name }) => name === 'errors')?.body;
    const exit = Number(/\d+/.exec(code)?.[0]);
    return new CommandView({ exit, output: bytesOf(body), errors: bytesOf(errors), time }, false);
  }
  const changed = /(\d[\d,]*) rows? changed/.exec(`${code} ${words}`)?.[1];
  return new QueryView({
    time,
    ...(/^\d[\d,]* rows?$/.test(code) && { rows: readJson(body.text ?? '[]') as never }),
    ...(changed !== undefined && { changed: Number(changed.replaceAll(',', '')) }),
  });
}

/** What is kept of a body. */
export function bytesOf(payload: Payload | undefined): Buffer {
  if (payload?.base64 !== undefined) return Buffer.from(payload.base64, 'base64');
  return Buffer.from(payload?.text ?? '');
}
