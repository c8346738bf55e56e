import { UsageError } from '../core/model/usage-error.ts';
import type { QueueAccess } from '../platform/queue/queue-access.ts';
import { readCount, readTime } from './read-options.ts';

/** Where the queue is, and what it asks for. */
export interface QueueFlags {
  readonly queue?: string;
  readonly queueCredentials?: string;
  readonly queueCa?: string;
  readonly queueCert?: string;
  readonly queueKey?: string;
}

/** Of a run that other machines carry out. */
export interface MachineFlags extends QueueFlags {
  readonly workers?: string;
  readonly sign?: string;
  readonly lease?: string;
}

/** The machines that are to carry out a run. */
export interface ChosenMachines {
  readonly access: QueueAccess;
  readonly count: number;
  /** The file of the key that jobs are signed with. */
  readonly sign: string;
  /** In milliseconds. */
  readonly lease: number;
}

/** In milliseconds. */
const usualLease = 15_000;
/** In milliseconds: what is heard over a network takes its time. */
const shortestLease = 1000;

/** Nothing where this machine alone carries it out. Throws UsageError. */
export function chooseMachines(flags: MachineFlags): ChosenMachines | undefined {
  const { queue, workers, sign, lease } = flags;
  if (queue === undefined) {
    const { queueCredentials, queueCa, queueCert, queueKey } = flags;
    const others = {
      '--workers': workers,
      '--sign': sign,
      '--lease': lease,
      '--queue-credentials': queueCredentials,
      '--queue-ca': queueCa,
      '--queue-cert': queueCert,
      '--queue-key': queueKey,
    };
    const given = Object.entries(others).find(([, value]) => value !== undefined);
    const here = given?.[0] === '--workers' ? ' On this machine pages run at the same time by: --jobs N' : '';
    if (given)
      throw new UsageError(`${given[0]} is for a run over several machines: add --queue URL.${here}`);
    return undefined;
  }
  if (workers === undefined)
    throw new UsageError('--queue needs to know how many workers there are to be: --workers 3');
  if (sign === undefined)
    throw new UsageError(
      '--queue needs the key that jobs are signed with: --sign PRIVATE-KEY-FILE. It is made by: openssl genpkey -algorithm ed25519 -out jobs.key',
    );
  const time = lease === undefined ? usualLease : readTime('--lease', lease);
  if (time < shortestLease) throw new UsageError(`--lease takes 1s at the least, not '${lease}'.`);
  const count = readCount('--workers', workers);
  return { access: queueAccess(flags), count, sign, lease: time };
}

/** Throws UsageError. */
export function queueAccess({
  queue,
  queueCredentials,
  queueCa,
  queueCert,
  queueKey,
}: QueueFlags): QueueAccess {
  if (queue === undefined)
    throw new UsageError(
      'A worker hears of jobs by a queue, a NATS server: --queue nats://queue.skerry.example:4222',
    );
  if ((queueCert === undefined) !== (queueKey === undefined))
    throw new UsageError('--queue-cert and --queue-key go together: a certificate, and its key.');
  return { url: queue, credentials: queueCredentials, ca: queueCa, cert: queueCert, key: queueKey };
}
