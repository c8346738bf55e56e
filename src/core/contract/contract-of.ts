import {
  type Contract,
  type ContractOperation,
  type ContractPart,
  operationName,
  type Scalar,
} from './contract.ts';
import { accepts, kinds as allKinds, type ReadKind } from './read-kinds.ts';
import type { PlacedRead, ReliedRequest } from './relied-on.ts';

/** What pages rely on, as a contract: by operation and status, in an order that does not hang on that of the pages. */
export function contractOf(consumer: string, requests: readonly ReliedRequest[]): Contract {
  const operations = new Map<string, ReliedRequest[]>();
  const notFollowed = new Map<string, { case: string; target: string }>();
  for (const request of requests) {
    const { target, method, written, case: address } = request;
    if (target === undefined) {
      const name = `${method} ${written}`;
      notFollowed.set(`${address}\n${name}`, { case: address, target: name });
      continue;
    }
    const key = operationName({ method, target });
    const same = operations.get(key);
    if (same) same.push(request);
    else operations.set(key, [request]);
  }
  return {
    format: 'mervok-contract',
    version: 1,
    consumer,
    operations: [...operations.values()].map(operationOf).sort(by(each => `${each.target}\n${each.method}`)),
    notFollowed: [...notFollowed.values()].sort(by(each => `${each.case}\n${each.target}`)),
  };
}

function by<Item>(key: (item: Item) => string): (a: Item, b: Item) => number {
  return (a, b) => (key(a) < key(b) ? -1 : key(a) > key(b) ? 1 : 0);
}

function operationOf(requests: readonly ReliedRequest[]): ContractOperation {
  const [{ method, target }] = requests as [ReliedRequest];
  const names = (of: (request: ReliedRequest) => readonly string[]) =>
    [...new Set(requests.flatMap(of))].sort();
  const [query, headers, body] = [
    names(({ sent }) => sent.query),
    names(({ sent }) => sent.headers),
    names(({ sent }) => sent.body),
  ];
  return {
    method,
    target: target!,
    sends: {
      ...(query.length > 0 && { query }),
      ...(headers.length > 0 && { headers }),
      ...(body.length > 0 && { body }),
    },
    answers: answersOf(requests),
    by: names(each => [each.case]),
  };
}

function answersOf(requests: readonly ReliedRequest[]): ContractOperation['answers'] {
  const byStatus = new Map<string, Map<string, PlacedRead[]>>();
  for (const { statuses, reads } of requests)
    for (const status of statuses.length > 0 ? statuses : ['any']) {
      const parts = byStatus.get(status) ?? new Map<string, PlacedRead[]>();
      byStatus.set(status, parts);
      for (const read of reads) {
        const same = parts.get(read.part);
        if (same) same.push(read);
        else parts.set(read.part, [read]);
      }
    }
  return [...byStatus]
    .map(([status, parts]) => ({
      status,
      reads: [...parts.values()].map(partOf).sort(by(({ part }) => part)),
    }))
    .sort(by(({ status }) => status));
}

/** What all that look at a part can accept; what one of them accepts, where that is nothing. */
function partOf(reads: readonly PlacedRead[]): ContractPart {
  const [{ part }] = reads as [PlacedRead];
  const kinds = kindsOf(reads);
  const values = valuesOf(reads);
  return { part, ...(kinds && { kinds }), ...(values && { values }) };
}

function kindsOf(reads: readonly PlacedRead[]): ReadKind[] | undefined {
  const all = reads.flatMap(({ kinds }) => (kinds ? [kinds] : []));
  if (all.length === 0) return undefined;
  const common = allKinds.filter(kind => all.every(kinds => accepts(kinds, kind)));
  const some = common.length > 0 ? common : allKinds.filter(kind => all.some(kinds => kinds.has(kind)));
  // Whole numbers are numbers.
  return some.includes('number') ? some.filter(kind => kind !== 'integer') : some;
}

/** All that any of them wants; any value, where one of them does not say. */
function valuesOf(reads: readonly PlacedRead[]): Scalar[] | undefined {
  const all = reads.flatMap(({ values }) => (values ? [values] : []));
  if (all.length === 0) return undefined;
  return [...new Set(all.flat())].sort(by(value => `${typeof value}\n${String(value)}`));
}
