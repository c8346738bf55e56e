import type { ExchangeEvent, RunEvent } from '../model/events.ts';
import { isObject, kindOf, Missing, type Value } from '../model/value.ts';
import { recordedAnswer } from '../replay/recorded-exchange.ts';
import { mask } from '../secrecy/masker.ts';
import type { ResponseView } from '../steps/http/response-view.ts';
import { withoutOrigin } from '../text/hosts.ts';
import type { PartStep } from '../values/document-parts.ts';
import { isInteger, isNumeric } from '../values/number.ts';
import type { Beside, Broken } from './broken.ts';
import { operationName } from './contract.ts';
import { accepts, isReadKind, kindsInWords, type ReadKind } from './read-kinds.ts';
import type { PlacedRead, ReliedRequest } from './relied-on.ts';
import { isStatus } from './statuses.ts';

interface Asked {
  readonly request: ReliedRequest;
  readonly isLike: (method: string, url: string) => boolean;
}

/** What pages rely on, beside what a run has seen: what was otherwise, and what was never seen. */
export async function againstRecord(
  requests: readonly ReliedRequest[],
  events: AsyncIterable<RunEvent>,
): Promise<Beside> {
  const asked = requests.flatMap(request =>
    request.target === undefined ? [] : [askedFor(request, request.target)],
  );
  const seen = new Set<ReliedRequest>();
  const parts = new Set<PlacedRead>();
  const broken = new Map<string, Broken>();
  let looked = 0;
  for await (const event of events) {
    if (event.type !== 'exchange' || !event.response || event.part) continue;
    const view = asked.length > 0 ? recordedAnswer([event as ExchangeEvent]).response : undefined;
    for (const { request, isLike } of asked) {
      if (!view || !isLike(event.request.method, event.request.url)) continue;
      const status = request.lookedInto.find(each => isStatus(each, String(view.received.status)));
      if (status === undefined) continue;
      seen.add(request);
      for (const read of request.reads) {
        looked++;
        const trouble = seenOtherwise(read, view);
        if (trouble !== 'unknown') parts.add(read);
        if (trouble === undefined || trouble === 'unknown') continue;
        const operation = operationName({ method: request.method, target: request.target! });
        const key = [request.case, status, read.part, trouble].join('\n');
        const about = { operation, status, part: read.part, case: request.case };
        broken.set(key, { ...about, message: trouble, place: read.place, isFailure: true });
      }
    }
  }
  return { broken: [...broken.values(), ...neverSeen(asked, seen)], looked, notes: [] };
}

function askedFor(request: ReliedRequest, target: string): Asked {
  const pattern = target
    .split(/\{[^}]*\}/)
    .map(text => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
    .join('[^/]+');
  // Targets count from a base that has a path of its own.
  const whole = new RegExp(`(?:^|.)${pattern}$`);
  const names = request.sent.query.join('\n');
  return {
    request,
    isLike(method, url) {
      const [path = '', query = ''] = withoutOrigin(url).replace(/#.*$/, '').split('?');
      return method === request.method && whole.test(path) && namesIn(query) === names;
    },
  };
}

function namesIn(query: string): string {
  return [...new Set(new URLSearchParams(query).keys())].sort().join('\n');
}

/** Nothing where it is as it has to be; `unknown` where it is masked, cut, or nothing that can be looked into. */
function seenOtherwise({ part, way, kinds }: PlacedRead, view: ResponseView): string | 'unknown' | undefined {
  const header = /^header (.+)$/.exec(part)?.[1];
  if (header !== undefined) return view.headerValues(header).length > 0 ? undefined : 'it was not there';
  if (!way) return 'unknown';
  const { document } = view;
  if (document instanceof Missing) return 'unknown';
  const values = valuesAt(document, way);
  if (values.length === 0) return isEmptyList(document, way) ? 'unknown' : 'it was not there';
  if (values.some(value => typeof value === 'string' && value.includes(mask))) return 'unknown';
  if (!kinds) return undefined;
  const others = [...new Set(values.map(kindInContract))].filter(kind => !accepts(kinds, kind));
  return others.length === 0
    ? undefined
    : `it was ${kindsInWords(others)}, and has to be ${kindsInWords(kinds)}`;
}

/** Every value in a place of a document, where all items of a list count as one. */
function valuesAt(document: Value, way: readonly PartStep[]): Value[] {
  let values = [document];
  for (const step of way)
    values = values.flatMap(value => {
      if (step === undefined) return Array.isArray(value) ? value : [];
      return isObject(value) && Object.hasOwn(value, step) ? [value[step]!] : [];
    });
  return values;
}

/** Of the items of a list that has none nothing can be said. */
function isEmptyList(document: Value, way: readonly PartStep[]): boolean {
  const at = way.lastIndexOf(undefined);
  if (at < 0) return false;
  const lists = valuesAt(document, way.slice(0, at));
  return lists.length > 0 && lists.every(list => Array.isArray(list) && list.length === 0);
}

function kindInContract(value: Value): ReadKind {
  if (isNumeric(value)) return isInteger(value) ? 'integer' : 'number';
  const kind = kindOf(value);
  return isReadKind(kind) ? kind : 'text';
}

function neverSeen(asked: readonly Asked[], seen: ReadonlySet<ReliedRequest>): Broken[] {
  return asked.flatMap(({ request }) => {
    if (seen.has(request) || request.statuses.length === 0) return [];
    const operation = operationName({ method: request.method, target: request.target! });
    return [
      {
        operation,
        status: request.statuses.join(', '),
        message: 'it was never seen in this run',
        place: request.statusPlace,
        case: request.case,
        isFailure: false,
      },
    ];
  });
}
