import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import type { RunEvent } from '../../src/core/model/events.ts';
import { filesOf, type Texts } from './collection.ts';
import { type Answer, runTexts } from './engine.ts';

/** A response as a table has it: with its head, or a JSON or XML document alone. */
export function answerOf(text: string): ReturnType<Answer> {
  const type = text.startsWith('<') ? 'application/xml' : 'application/json';
  if (!text.startsWith('HTTP/')) return { body: text, headers: [['Content-Type', type]] };
  const [head = '', ...body] = text.split('\n\n');
  const [first = '', ...fields] = head.split('\n');
  const headers = fields.map((line): [string, string] => {
    const at = line.indexOf(':');
    return [line.slice(0, at), line.slice(at + 1).trim()];
  });
  return { status: Number(first.split(' ')[1]), headers, body: body.join('\n\n') };
}

/** A collection with its plan, as commands have it. */
export async function plannedOf(texts: Texts, files: Texts = {}) {
  const collection = await readCollection(filesOf(texts));
  const readFile = (path: string) => files[path] ?? '';
  return buildPlan(collection, { paths: [], given: new Map(), readFile, hasFile: path => path in files });
}

/** What a run of it leaves on record. */
export async function recordOf(texts: Texts, answer: Answer, files: Texts = {}): Promise<RunEvent[]> {
  const plan = { readFile: (path: string) => files[path] ?? '', hasFile: (path: string) => path in files };
  const { events } = await runTexts(texts, answer, { byChance: true, plan });
  return [...events];
}

export async function* asRecord(events: readonly RunEvent[]): AsyncGenerator<RunEvent> {
  yield* events;
}
