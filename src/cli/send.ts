import { existsSync, mkdirSync, renameSync, rmSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { exchangeEvent, surroundingsOf, viewOfSent } from '../core/engine/exchange.ts';
import type { Exchange, Ports, Sent } from '../core/engine/ports.ts';
import { type RunOptions, run } from '../core/engine/run.ts';
import { ResponseView } from '../core/language/response.ts';
import type { Plan, PlannedCase } from '../core/plan/plan.ts';
import type { RunEvent } from '../core/record/events.ts';
import { Masker } from '../core/record/mask.ts';
import { openPorts } from '../drivers/ports.ts';
import { bodyText } from '../reports/body.ts';
import { type ExchangeView, figuresText, headText, hopsText } from '../reports/exchange.ts';
import { createMeasure, visible } from '../reports/style.ts';
import { checksInWords } from '../reports/verdict.ts';
import { exitCodes, UsageMistake } from './exit.ts';
import { type Picker, readPicker } from './expression.ts';
import { type RequestFlags, readGivenRequest } from './given-request.ts';
import { listenForInterrupt } from './interrupt.ts';
import { keepLast } from './last.ts';
import {
  noteUnverified,
  type PlanFlags,
  type Prepared,
  prepareGiven,
  preparePlan,
  printFindings,
} from './prepare.ts';
import { readSavePlace, saveCase } from './save.ts';
import type { Terminal } from './terminal.ts';
import { version } from './version.ts';

export interface SendFlags extends PlanFlags, RequestFlags {
  readonly pick?: string;
  readonly save?: string;
  readonly raw?: boolean;
  readonly headers?: boolean;
  readonly output?: string;
}

export async function sendCommand(
  words: readonly string[],
  flags: SendFlags,
  terminal: Terminal,
): Promise<void> {
  const isCase = words.length === 1 && /\.md(?:#|$)/i.test(words[0]!) && !/^https?:/i.test(words[0]!);
  const given = isCase ? undefined : readGivenRequest(words, flags);
  refuseMixtures(flags, isCase);
  if (flags.save !== undefined) readSavePlace(flags.save);
  const picker = flags.pick === undefined ? undefined : await readPickerOrTell(flags.pick, terminal);
  if (picker === null) return;
  const prepared = given ? await prepareGiven(given, flags) : await preparePlan([words[0]!], flags);
  const errors = prepared.findings.filter(each => each.severity === 'error');
  if (errors.length > 0) {
    await printFindings(errors, terminal);
    terminal.err('Nothing was sent.\n');
    process.exitCode = exitCodes.nothingSent;
    return;
  }
  noteUnverified(prepared.findings, terminal);
  const asked = askedCase(prepared.plan, words[0]!);
  const saveTo = flags.output === undefined ? undefined : openDraft(flags.output);
  const sending = new Sending(
    prepared,
    asked,
    saveTo,
    terminal,
    given === undefined && !picker && !flags.raw,
  );
  const sent = await sending.run();
  if (saveTo !== undefined) closeDraft(saveTo, resolve(flags.output!), sent !== undefined);
  if (!sent) return;
  const last = sent.exchanges.at(-1)!;
  const problem = keepLast(sending.eventOf(last));
  if (problem !== undefined) terminal.err(`${problem}\n`);
  if (picker) pick(picker, sent, sending.masker, terminal);
  else await show(sent, flags, sending, terminal);
  if (given && flags.save !== undefined)
    await saveCase(flags.save, given, last.response!.status, flags, terminal);
}

/** A body that does not come to its end leaves no file behind; until then it grows beside its place. */
function openDraft(path: string): string {
  try {
    mkdirSync(dirname(resolve(path)), { recursive: true });
  } catch (error) {
    throw new UsageMistake(`'${path}' cannot be written: ${(error as Error).message}`);
  }
  return `${resolve(path)}.${process.pid}.part`;
}

function closeDraft(draft: string, path: string, whole: boolean): void {
  if (whole && existsSync(draft)) renameSync(draft, path);
  else rmSync(draft, { force: true });
}

function refuseMixtures(flags: SendFlags, isCase: boolean): void {
  if (isCase && (flags.header || flags.body || flags.as !== undefined || flags.save !== undefined))
    throw new UsageMistake(
      '-H, --body, --as and --save belong to a method and a URL; a case says itself what it sends.',
    );
  const ways = [flags.pick !== undefined && '--pick', flags.raw && '--raw', flags.headers && '--headers'];
  const chosen = ways.filter(Boolean);
  if (chosen.length > 1) throw new UsageMistake(`${chosen.join(' and ')} do not go together.`);
  if (flags.output !== undefined && (flags.pick !== undefined || flags.raw))
    throw new UsageMistake('-o writes the body into a file, so there is nothing left for --pick and --raw.');
}

async function readPickerOrTell(text: string, terminal: Terminal): Promise<Picker | null> {
  const read = await readPicker(text);
  if ('picker' in read) return read.picker;
  await printFindings(read.findings, terminal);
  process.exitCode = exitCodes.nothingSent;
  return null;
}

/** The one case that was asked for. Throws UsageMistake where there are several, or where it sends nothing. */
function askedCase(plan: Plan, word: string): PlannedCase {
  const asked = plan.pages.flatMap(page => page.cases).filter(each => each.asked);
  const sending = asked.filter(each => each.steps.some(step => step.kind === 'send'));
  const [only] = sending;
  if (!only) throw new UsageMistake(`'${word}' sends nothing.`);
  if (sending.length === 1) return only;
  const choices = sending.map(each => `  ${each.address}`).join('\n');
  throw new UsageMistake(`'${word}' has several cases. Which one?\n${choices}`);
}

/** Carries out a case and what it needs, and keeps hold of what its last request came to. */
class Sending {
  readonly masker = new Masker();
  #last: Sent | undefined;
  #ended = 0;
  #checks = { made: 0, held: 0 };
  readonly #all: number;

  constructor(
    readonly prepared: Prepared,
    readonly asked: PlannedCase,
    readonly saveTo: string | undefined,
    readonly terminal: Terminal,
    readonly tellsNeeded: boolean,
  ) {
    this.#all = prepared.plan.pages.reduce((sum, page) => sum + page.cases.length, 0);
  }

  /** What the last request took; nothing where no response came, which is told. */
  async run(): Promise<Sent | undefined> {
    const { prepared, masker } = this;
    const interrupt = listenForInterrupt();
    const ports = await openPorts(prepared.places);
    const watched: Ports = { ...ports, send: (request, signal) => this.#send(ports, request, signal) };
    const options: RunOptions = {
      tool: `mervok ${version}`,
      rounds: 1,
      bodies: false,
      signal: interrupt.signal,
      masker,
    };
    try {
      await run(prepared.plan, watched, options, event => this.#hear(event));
    } finally {
      interrupt.stop();
      await ports.close();
    }
    return this.#last;
  }

  get checks(): { readonly made: number; readonly held: number } {
    return this.#checks;
  }

  /** The exchange as the record would have it, with its whole body. */
  eventOf(exchange: Exchange) {
    const source = { round: 1, case: this.asked.address };
    const event = exchangeEvent(
      source,
      this.asked.place,
      exchange,
      Date.now(),
      true,
      Number.MAX_SAFE_INTEGER,
    );
    return this.masker.deep(event);
  }

  async #send(ports: Ports, request: Parameters<Ports['send']>[0], signal: AbortSignal): Promise<Sent> {
    const isAsked = this.#ended === this.#all - 1;
    const saved = isAsked && this.saveTo !== undefined ? { ...request, saveTo: this.saveTo } : request;
    const sent = await ports.send(saved, signal);
    if (isAsked) this.#last = sent;
    return sent;
  }

  /** Whether something has run that the case needs. */
  get toldNeeded(): boolean {
    return this.tellsNeeded && this.#all > 1;
  }

  #hear(event: RunEvent): void {
    const { out, err, paint } = this.terminal;
    if (event.type === 'check' && event.case === this.asked.address) {
      this.#checks.made++;
      if (event.holds === 'yes') this.#checks.held++;
    }
    if (event.type !== 'case') return;
    this.#ended++;
    const isAsked = event.case === this.asked.address;
    if (!isAsked && event.outcome === 'passed') {
      if (this.tellsNeeded) out(`${paint('quiet', `first    ${event.case}`)}\n`);
      return;
    }
    const came = this.#last?.exchanges.at(-1);
    if (isAsked && came?.response) return;
    this.#last = undefined;
    process.exitCode = exitCodes.failed;
    const message = event.problem?.message ?? (isAsked ? came?.fault?.message : undefined);
    const mend = isAsked && isTooLarge(came) ? ' -o FILE takes a body of any size.' : '';
    if (message !== undefined) err(`${this.masker.text(message)}${mend}\n`);
    else if (event.blocked)
      err(`${event.case} needs '${event.blocked.name}', which did not come from ${event.blocked.cause}.\n`);
    else err(`${event.case}, which is needed, ${event.outcome}; mervok run ${event.case} says why.\n`);
  }
}

/** Whether a limit has kept the body out, which a file would take. */
function isTooLarge(exchange: Exchange | undefined): boolean {
  return exchange?.fault?.kind === 'limit' && exchange.fault.message.startsWith('The body');
}

function pick(picker: Picker, { exchanges }: Sent, masker: Masker, { out, err }: Terminal): void {
  const { output, problem } = picker(sceneOf(exchanges));
  for (const each of output)
    if (typeof each === 'string') out(`${masker.text(each)}\n`);
    else process.stdout.write(each);
  if (problem === undefined) return;
  err(`${masker.text(problem)}\n`);
  process.exitCode = exitCodes.failed;
}

/** What an expression sees of a response that was sent for on the command line. */
function sceneOf(exchanges: readonly Exchange[]) {
  const { response } = exchanges.at(-1)!;
  return {
    response: response && new ResponseView(response, surroundingsOf(exchanges)),
    sent: viewOfSent(exchanges),
    lookup: () => undefined,
    world: { now: Date.now, uuid: () => crypto.randomUUID() },
    notes: [],
  };
}

async function show(sent: Sent, flags: SendFlags, sending: Sending, terminal: Terminal): Promise<void> {
  const { out, paint } = terminal;
  const { masker } = sending;
  const last = sent.exchanges.at(-1)!;
  const response = last.response!;
  const view = new ResponseView(response);
  if (flags.raw) {
    const masked = masker.isEmpty ? undefined : masker.text(view.text);
    process.stdout.write(masked === undefined || masked === view.text ? response.body : masked);
    return;
  }
  const shown = maskedExchanges(sent.exchanges, masker);
  const text = masker.text(view.text);
  const width = Math.min(200, Math.max(60, terminal.width));
  const look: ExchangeView = { paint, width, measure: await createMeasure([text, JSON.stringify(shown)]) };
  const { method, url } = shown.at(-1)!.request;
  const lines = [
    ...(sending.toldNeeded ? [''] : []),
    ...hopsText(shown, look),
    paint('quiet', visible(`${method} ${url}`)),
    ...headText(shown.at(-1)!, look),
  ];
  if (!flags.headers) {
    lines.push('');
    if (flags.output !== undefined) lines.push(`The body is in ${flags.output}.`, '');
    else if (response.size > 0)
      lines.push(
        await bodyText(
          { text, size: response.size },
          view.headerValues('content-type')[0],
          Math.min(width, 100),
          paint,
        ),
        '',
      );
    lines.push(...figuresText(shown.at(-1)!, look));
    const { made, held } = sending.checks;
    if (made > 0) {
      const verdict = checksInWords(made, held) + (held === made ? '' : ' mervok run tells which.');
      lines.push(paint(held === made ? 'quiet' : 'failed', verdict));
    }
  }
  out(`${lines.join('\n')}\n`);
}

/** Everything of exchanges that is printed but their bodies. */
function maskedExchanges(exchanges: readonly Exchange[], masker: Masker): Exchange[] {
  return exchanges.map(({ request, response, ...rest }) => ({
    ...rest,
    request: masker.deep({ ...request, body: [] }),
    ...(response && {
      response: { ...response, reason: masker.text(response.reason), headers: masker.deep(response.headers) },
    }),
  }));
}
