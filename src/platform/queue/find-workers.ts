import { type KeyObject, randomBytes } from 'node:crypto';
import { UsageError } from '../../core/model/usage-error.ts';
import { counted, inWords } from '../../core/text/words.ts';
import { elapsed } from '../clock.ts';
import { version } from '../version.ts';
import { signJob } from './job-keys.ts';
import {
  type Announcement,
  type Answer,
  type Availability,
  encode,
  isWorkerName,
  type Job,
  offersSubject,
  patienceFor,
  subjectsOf,
  type ToWorker,
} from './messages.ts';
import type { Queue } from './queue.ts';
import { KeyAgreement } from './seal.ts';
import { SealedChannel } from './sealed-channel.ts';
import { WorkerLink } from './worker-link.ts';

/** In milliseconds: so long it is looked for workers, so often they are asked, and so often it is looked who has answered. */
const [lookFor, askEvery, lookEvery] = [10_000, 500, 10];
/** In milliseconds: so long a job may be begun with; clocks of machines may be apart by minutes. */
const goodFor = 10 * 60_000;

/** What a run hands out. */
export interface JobToHandOut<Work> {
  readonly run: string;
  /** As base64. */
  readonly key: string;
  /** In milliseconds. */
  readonly lease: number;
  /** The collection as one piece, and its SHA-256. */
  readonly bundle: Buffer;
  readonly hash: string;
  readonly sign: KeyObject;
  /** What the worker of a number, from 0, carries out. */
  readonly work: (index: number) => Work;
}

/** Workers that have nothing to do and take a job. Throws UsageError where there are not as many. */
export async function findWorkers<Work>(
  queue: Queue,
  count: number,
  job: JobToHandOut<Work>,
  signal: AbortSignal,
): Promise<WorkerLink[]> {
  const agreement = new KeyAgreement();
  const found = new Map<string, Availability>();
  const refusals: string[] = [];
  const links: WorkerLink[] = [];
  const asked = new Set<string>();
  const until = elapsed() + lookFor;
  const hear = (data: Uint8Array) => {
    const available = readAvailability(data);
    if (available) found.set(available.worker, available);
  };
  while (links.length < count && elapsed() < until && !signal.aborted) {
    const call: Announcement = { ...newTerms(job.run), offer: agreement.offer };
    const end = queue.askAll(offersSubject, Buffer.from(JSON.stringify(signJob(call, job.sign))), hear);
    await enough(() => [...found.keys()].filter(each => !asked.has(each)).length >= count - links.length);
    end();
    for (const available of found.values()) {
      if (links.length === count || asked.has(available.worker)) continue;
      asked.add(available.worker);
      const answer = await handOut(queue, agreement, available, { ...job, work: job.work(links.length) });
      if (answer instanceof WorkerLink) links.push(answer);
      else refusals.push(answer);
    }
  }
  if (links.length === count && !signal.aborted) return links;
  for (const link of links) link.close();
  throw new UsageError(tooFew(count, links.length, refusals, queue.name));
}

/** Until there are enough, or it is time to ask again. */
async function enough(areThere: () => boolean): Promise<void> {
  const until = elapsed() + askEvery;
  while (elapsed() < until && !areThere()) await new Promise(resume => setTimeout(resume, lookEvery));
}

function tooFew(wanted: number, found: number, refusals: readonly string[], queue: string): string {
  const there = found === 0 ? 'none' : String(found);
  const remedy = `Is 'mervok worker --queue ${queue} --trust PUBLIC-KEY-FILE' running there, with the key that belongs to that of --sign?`;
  const why = refusals.length === 0 ? remedy : inWords([...new Set(refusals)]);
  return `${counted(wanted, 'worker is', 'workers are')} wanted, and ${there} of those at ${queue} took the job within ${lookFor / 1000} s. ${why}`;
}

function newTerms(run: string) {
  return { run, nonce: randomBytes(16).toString('hex'), expires: Date.now() + goodFor };
}

function readAvailability(data: Uint8Array): Availability | undefined {
  try {
    const { worker, name, offer, cores, tool } = JSON.parse(Buffer.from(data).toString('utf8'));
    const isWhole =
      [worker, name, offer, tool].every(each => typeof each === 'string') && Number.isSafeInteger(cores);
    if (!isWhole || !/^[0-9a-f-]{36}$/.test(worker) || !isWorkerName(name)) return undefined;
    return { worker, name, offer, cores, tool };
  } catch {
    return undefined;
  }
}

/** One that has taken the job, or why it has not. */
async function handOut<Work>(
  queue: Queue,
  agreement: KeyAgreement,
  { worker, name, offer, tool }: Availability,
  { run, key, lease, bundle, hash, sign, work }: Omit<JobToHandOut<Work>, 'work'> & { readonly work: Work },
): Promise<WorkerLink | string> {
  if (tool !== `mervok ${version}`) return `${name} has ${tool}, and this is mervok ${version}.`;
  const link = new WorkerLink(name, patienceFor(lease));
  try {
    const subjects = subjectsOf(run, worker);
    const ends = { toOther: subjects.worker, toOwn: subjects.run, about: run };
    const hear = (data: Buffer) => link.hear(data);
    link.channel = new SealedChannel(queue, agreement.agree(offer, `${run} ${worker}`), ends, hear);
    const job: Job<Work> = { ...newTerms(run), worker, key, lease, collection: hash, work };
    const ask = async (message: ToWorker, bytes?: Uint8Array) =>
      (JSON.parse((await link.channel!.ask(encode(message, bytes), lookFor)).toString('utf8')) as Answer)
        .refused;
    const refused =
      (await ask({ type: 'job', job: signJob(job, sign) })) ?? (await ask({ type: 'collection' }, bundle));
    if (refused === undefined) return link;
    link.close();
    return `${name} refuses the job: ${refused}.`;
  } catch (error) {
    link.close();
    return `${name} was not reached: ${(error as Error).message}.`;
  }
}
