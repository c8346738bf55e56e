import assert from 'node:assert/strict';
import { test } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { NoAnswer } from '../../src/platform/queue/queue.ts';
import { SealingKey } from '../../src/platform/queue/seal.ts';
import { SealedChannel } from '../../src/platform/queue/sealed-channel.ts';

type Reply = (data: Uint8Array) => Promise<Uint8Array | undefined>;

/** A queue between two ends that loses, doubles and changes what it is given, as the test says. */
class PoorQueue {
  readonly #ends = new Map<string, Reply>();
  readonly sent: Uint8Array[] = [];
  room = 64;
  /** What becomes of a message, or of the reply to it. */
  fate: () => 'through' | 'lost' | 'twice' | 'changed' | 'reply lost' = () => 'through';

  answer(subject: string, reply: Reply): () => void {
    this.#ends.set(subject, reply);
    return () => this.#ends.delete(subject);
  }

  async request(subject: string, data: Uint8Array): Promise<Uint8Array> {
    this.sent.push(data);
    const fate = this.fate();
    const changed = Buffer.from(data);
    if (fate === 'changed') changed[changed.length - 1]! ^= 1;
    const end = this.#ends.get(subject);
    const reply = fate === 'lost' ? undefined : await end?.(changed);
    const again = fate === 'twice' ? await end?.(changed) : undefined;
    if (!reply || fate === 'reply lost') throw new NoAnswer('nobody answers');
    return again ?? reply;
  }
}

function channels(queue: PoorQueue, heard: string[]) {
  const key = SealingKey.random();
  const run = new SealedChannel(queue, key, { toOther: 'worker', toOwn: 'run', about: 'r' }, data => data);
  const worker = new SealedChannel(queue, key, { toOther: 'run', toOwn: 'worker', about: 'r' }, data => {
    heard.push(data.toString('utf8'));
    return Buffer.from(`got ${data.length}`);
  });
  return { run, worker };
}

test('what is said arrives once, in order and whole, whatever the queue does', async () => {
  const queue = new PoorQueue();
  const heard: string[] = [];
  const { run } = channels(queue, heard);
  const fates = ['through', 'lost', 'twice', 'reply lost', 'changed', 'through', 'reply lost'] as const;
  let at = 0;
  queue.fate = () => fates[at++ % fates.length]!;
  const texts = Array.from({ length: 12 }, (_, index) => `${index}:${'x'.repeat(index * 37)}`);
  const replies = await Promise.all(texts.map(text => run.ask(Buffer.from(text), 20_000)));
  assert.deepEqual(heard, texts);
  assert.deepEqual(
    replies.map(reply => reply.toString('utf8')),
    texts.map(text => `got ${text.length}`),
  );
});

test('nothing of it can be read, repeated, put elsewhere or made up', async () => {
  const queue = new PoorQueue();
  queue.room = 1000;
  const heard: string[] = [];
  const { run, worker } = channels(queue, heard);
  for (const text of ['kelp and cordage', 'gull and anchor']) await run.ask(Buffer.from(text), 1000);
  assert.ok(queue.sent.every(data => !Buffer.from(data).includes('cordage')));
  const before = [...heard];
  const old = queue.sent.map(data => Buffer.from(data));
  // The last one alone is answered once more, as it was; nothing is heard again.
  for (const data of old) await queue.request('worker', data).catch(() => undefined);
  // What goes one way is nothing that goes the other.
  await assert.rejects(queue.request('run', old[0]!));
  for (const data of [Buffer.alloc(0), Buffer.alloc(12), Buffer.alloc(500, 7), Buffer.from('{}')])
    await assert.rejects(queue.request('worker', data));
  const skipped = Buffer.from(old[1]!);
  skipped.writeUInt32BE(9, 0);
  await assert.rejects(queue.request('worker', skipped));
  assert.deepEqual(heard, before);
  assert.equal((await worker.ask(Buffer.from('still there'), 1000)).toString('utf8'), 'still there');
});

test('where nobody answers it ends after its time, and at once where the channel is closed', async () => {
  const queue = new PoorQueue();
  const { run } = channels(queue, []);
  queue.fate = () => 'lost';
  await assert.rejects(run.ask(Buffer.from('a'), 300), NoAnswer);
  const asked = run.ask(Buffer.from('b'), 60_000);
  const rejected = assert.rejects(asked, NoAnswer);
  await delay(50);
  run.close();
  await rejected;
});
