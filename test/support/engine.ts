import type { PlanOptions } from '../../src/core/analysis/analysis.ts';
import type { CaseEvent, CheckEvent, ExchangeEvent, RunEvent } from '../../src/core/model/events.ts';
import type { Exchange } from '../../src/core/model/http-messages.ts';
import { Missing } from '../../src/core/model/value.ts';
import { eventSchema } from '../../src/core/record/event-schema.ts';
import type { Ports } from '../../src/core/runner/ports.ts';
import { run } from '../../src/core/runner/run.ts';
import type { RunOptions } from '../../src/core/runner/run-options.ts';
import type { HttpPort, OutgoingRequest } from '../../src/core/steps/http/http-port.ts';
import { VirtualClock } from './clock.ts';
import { planOf, type Texts } from './collection.ts';
import { hearRun } from './whole.ts';
import { Words } from './words.ts';

/** What a server does with a request that comes so many milliseconds after the run began. */
export type Answer = (
  request: OutgoingRequest,
  at: number,
) => /** After so many milliseconds: 5, where it is not said. */
  | { status?: number; reason?: string; body?: unknown; headers?: [string, string][]; takes?: number }
  /** Hops on the way to the last one. */
  | { exchanges: Exchange[]; secrets?: string[] }
  | { fault: NonNullable<Exchange['fault']>; takes?: number };

export interface Ran {
  readonly events: readonly RunEvent[];
  readonly sent: readonly OutgoingRequest[];
  readonly cases: readonly CaseEvent[];
  readonly checks: readonly CheckEvent[];
  readonly exchanges: readonly ExchangeEvent[];
  /** `title: outcome` of each case. */
  readonly outcomes: readonly string[];
}

export interface RunTextsOptions {
  readonly rounds?: number;
  /** When one is woken who would be at a time, where the program has no processor then; in milliseconds since the run began. */
  readonly stalls?: (time: number) => number;
  /** How else the run goes. */
  readonly run?: Partial<RunOptions>;
  readonly signal?: AbortSignal;
  /** The environment of the process. */
  readonly os?: { readonly [name: string]: string };
  /** What variables find in files. */
  readonly files?: { readonly [path: string]: string };
  /** What takes a while, while a request is out. */
  readonly whileSending?: (request: OutgoingRequest) => Promise<void>;
  readonly chance?: () => string;
  readonly plan?: Partial<PlanOptions>;
  readonly openPage?: HttpPort['openPage'];
  /** What carries out operations of other kinds. */
  readonly operations?: Partial<Ports['operations']>;
  /** Nobody has to know the words of what is said. */
  readonly byChance?: boolean;
}

const words = new Words('events');

/** Everything that is told, but for when and where. */
function hear(event: RunEvent): void {
  if (event.type === 'check') {
    const { round: _round, user: _user, case: _case, row: _row, place: _place, text, holds, ...rest } = event;
    words.hear(`check ${holds}`, text, ...Object.values(rest).map(each => JSON.stringify(each)));
  } else if (event.type === 'case') {
    const { outcome, problem, because, blocked, prose, ...rest } = event;
    words.hear(`case ${outcome}`, problem?.message, because, blocked && JSON.stringify(blocked), prose);
    words.hear('case', JSON.stringify({ ...rest, at: 0 }));
  } else words.hear(event.type, JSON.stringify({ ...event, at: 0, lag: undefined }));
}

/** How a request goes out, and what of it another origin must not see. */
function hearSent({ method, url, jar: _jar, secrecy, ...rest }: OutgoingRequest): void {
  const inWords = (_key: string, value: unknown) =>
    value instanceof Set || value instanceof Map ? [...value] : value;
  const hidden = secrecy && [
    ...rest.headers.filter(header => secrecy.header(header)).map(([name]) => name),
    ...(secrecy.body(rest.body ?? []) ? ['body'] : []),
  ];
  const told = JSON.stringify({ ...rest, hidden }, inWords);
  words.hear('sent', `${method} ${url}`, told.replaceAll(/mervok-[\w-]{20,}/g, 'BOUNDARY'));
}

/** When runs begin. */
const start = Date.UTC(2026, 10, 23, 12);

/** Carries out a collection by a clock that only waiting moves, with `answer` for the server. */
export async function runTexts(
  texts: Texts,
  answer: Answer,
  {
    rounds,
    run: more = {},
    os = {},
    signal = new AbortController().signal,
    plan = {},
    files = {},
    whileSending,
    chance = () => '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
    openPage = () => ({ isEmpty: true }),
    byChance = false,
    operations = {},
    stalls,
  }: RunTextsOptions = {},
): Promise<Ran> {
  const { plan: planned, findings } = await planOf(texts, plan, byChance);
  const errors = findings.filter(each => each.severity === 'error');
  if (errors.length > 0)
    throw new Error(errors.map(({ message, remedy = '' }) => `${message} ${remedy}`.trim()).join('\n'));
  const sent: OutgoingRequest[] = [];
  const clock = new VirtualClock(stalls);
  const clockAndRandom = {
    now: () => start + clock.elapsed() - clock.begin,
    uuid: chance,
    random: () => 0.5,
  };
  const http: HttpPort = {
    async send(request, interrupted) {
      sent.push(request);
      if (!byChance) hearSent(request);
      await whileSending?.(request);
      const answered = answer(request, clock.elapsed() - clock.begin);
      if ('exchanges' in answered) return answered;
      const { takes = 5 } = answered;
      const begin = clock.elapsed();
      await clock.sleep(takes, interrupted);
      const total = stalls ? clock.elapsed() - begin : takes;
      const times = { wait: total - 1, download: 1, total };
      if (interrupted.aborted) {
        const fault = { kind: 'interrupted' as const, message: 'The run was interrupted.' };
        return { exchanges: [{ request, fault, times, received: 0 }] };
      }
      if ('fault' in answered) return { exchanges: [{ request, fault: answered.fault, times, received: 0 }] };
      const {
        status = 200,
        reason = '',
        body = {},
        headers = [['Content-Type', 'application/json']],
      } = answered;
      const bytes = Buffer.from(typeof body === 'string' ? body : JSON.stringify(body));
      const response = {
        url: request.url,
        status,
        reason,
        version: 'HTTP/1.1',
        headers,
        body: bytes,
        size: bytes.length,
        time: takes,
      };
      return { exchanges: [{ request, response, times, received: bytes.length }] };
    },
    openPage,
  };
  const ports: Ports = {
    ...clockAndRandom,
    clockAndRandomFor: () => clockAndRandom,
    // Other kinds are there where a test has some.
    operations: { http, ...operations } as Ports['operations'],
    elapsed: clock.elapsed,
    sleep: clock.sleep,
    external: {
      variable: name => os[name],
      file: path => files[path] ?? new Missing(`there is no ${path}`),
      bytes: path =>
        files[path] === undefined ? new Missing(`there is no ${path}`) : Buffer.from(files[path]),
    },
  };
  const events: RunEvent[] = [];
  await run(
    planned,
    ports,
    { tool: 'mervok test', ...(rounds !== undefined && { rounds }), bodies: true, signal, ...more },
    event => events.push(event),
  );
  if (!byChance) {
    for (const event of events) {
      eventSchema.parse(event);
      hear(event);
    }
    await hearRun(events);
  }
  const of = <Type extends RunEvent['type']>(type: Type) =>
    events.filter(event => event.type === type) as Extract<RunEvent, { type: Type }>[];
  const cases = of('case');
  return {
    events,
    sent,
    cases,
    checks: of('check'),
    exchanges: of('exchange'),
    outcomes: cases.map(each => `${each.title}: ${each.outcome}`),
  };
}
