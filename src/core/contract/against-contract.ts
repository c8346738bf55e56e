import type { Beside, Broken } from './broken.ts';
import { type Contract, type ContractOperation, type ContractPart, operationName } from './contract.ts';
import { contractOf } from './contract-of.ts';
import { accepts, kindsInWords } from './read-kinds.ts';
import type { ReliedRequest } from './relied-on.ts';

/** What pages rely on, beside what is agreed: what goes beyond that, and what of it nobody needs any more. */
export function againstContract(requests: readonly ReliedRequest[], agreed: Contract): Beside {
  const operations = new Map(agreed.operations.map(each => [operationName(each), each]));
  const broken: Broken[] = [];
  let looked = 0;
  for (const request of requests) {
    if (request.target === undefined) continue;
    const operation = operationName({ method: request.method, target: request.target });
    const about = { operation, case: request.case, isFailure: true };
    const known = operations.get(operation);
    looked++;
    if (!known) {
      broken.push({ ...about, message: 'the contract does not have the operation', place: request.place });
      continue;
    }
    for (const status of request.statuses.length > 0 ? request.statuses : ['any']) {
      const answer = known.answers.find(each => each.status === status);
      looked++;
      if (!answer) {
        broken.push({
          ...about,
          status,
          message: `the contract does not have the status ${status}`,
          place: request.statusPlace,
        });
        continue;
      }
      for (const read of request.reads) {
        looked++;
        const message = beyond(
          read,
          answer.reads.find(({ part }) => part === read.part),
        );
        if (message !== undefined)
          broken.push({ ...about, status, part: read.part, message, place: read.place });
      }
    }
  }
  return { broken: withoutSame(broken), looked, notes: gone(contractOf('', requests), agreed) };
}

function beyond(
  { kinds }: ReliedRequest['reads'][number],
  known: ContractPart | undefined,
): string | undefined {
  if (!known) return 'the contract does not have it';
  if (!kinds || !known.kinds)
    return kinds && !known.kinds
      ? `it has to be ${kindsInWords([...kinds])}, which the contract does not say`
      : undefined;
  const others = known.kinds.filter(kind => !accepts(kinds, kind));
  return others.length === 0
    ? undefined
    : `it may be ${kindsInWords(others)} by the contract, and has to be ${kindsInWords([...kinds])}`;
}

/** What several statements of a case want is told once. */
function withoutSame(broken: readonly Broken[]): Broken[] {
  const seen = new Set<string>();
  return broken.filter(({ operation, status, part, message, case: address }) => {
    const key = [operation, status, part, message, address].join('\n');
    const isNew = !seen.has(key);
    seen.add(key);
    return isNew;
  });
}

/** What the contract has and no page relies on. */
function gone(now: Contract, agreed: Contract): string[] {
  const operations = new Map(now.operations.map(each => [operationName(each), each]));
  return agreed.operations.flatMap(each => {
    const known = operations.get(operationName(each));
    if (!known) return [`No page relies on ${operationName(each)} any more.`];
    return goneParts(each, known).map(
      part => `No page relies on ${part} of ${operationName(each)} any more.`,
    );
  });
}

function goneParts(agreed: ContractOperation, now: ContractOperation): string[] {
  const all = new Set(
    now.answers.flatMap(({ status, reads }) => reads.map(({ part }) => `${part} (${status})`)),
  );
  const before = agreed.answers.flatMap(({ status, reads }) =>
    reads.map(({ part }) => `${part} (${status})`),
  );
  return before.filter(part => !all.has(part));
}
