import { existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import type { Plan, PlannedCase } from '../core/analysis/plan.ts';
import type { EvaluationContext } from '../core/language/evaluation-context.ts';
import type { Exchange } from '../core/model/http-messages.ts';
import { UsageError } from '../core/model/usage-error.ts';
import type { Masker } from '../core/secrecy/masker.ts';
import { factsOf, viewOfSent } from '../core/steps/http/exchange-event.ts';
import type { Sent } from '../core/steps/http/http-port.ts';
import { ResponseView } from '../core/steps/http/response-view.ts';
import { counted } from '../core/text/words.ts';
import { makeFolder } from '../platform/make-folder.ts';
import { bodyText, fitRows } from '../reports/body.ts';
import { type ExchangeView, figuresText, headText, hopsText } from '../reports/exchange-text.ts';
import { createMeasure, visible } from '../reports/style.ts';
import { verdictOnChecks } from '../reports/verdict.ts';
import { contextFor, type Picker, printPicked, readPicker } from './expression.ts';
import {
  type RequestFlags,
  readGivenRequest,
  readGivenSettings,
  type TransportFlags,
} from './given-request.ts';
import { keepLast } from './last.ts';
import {
  allowing,
  noteUnsafe,
  type PlanFlags,
  type Prepared,
  prepareGiven,
  preparePlan,
  refusedByErrors,
} from './prepare.ts';
import { readTime } from './read-options.ts';
import { readSelection } from './run-choices.ts';
import { readSavePlace, saveCase } from './save.ts';
import { operate, showOperated } from './single-operation.ts';
import { SingleRequest } from './single-request.ts';
import type { Terminal } from './terminal.ts';

export interface SendFlags extends PlanFlags, RequestFlags, TransportFlags {
  readonly pick?: string;
  readonly save?: string;
  readonly raw?: boolean;
  readonly headers?: boolean;
  readonly output?: string;
  readonly alone?: boolean;
}

export async function sendCommand(
  words: readonly string[],
  flags: SendFlags,
  terminal: Terminal,
): Promise<void> {
  const isCase = /\.md(?:#|$)/i.test(words[0]!) && !/^https?:/i.test(words[0]!);
  if (isCase && words.length > 1)
    throw new UsageError(
      `'${words[1]}' is not taken: a case says itself what it sends. Values are given by --set NAME=VALUE.`,
    );
  const given = isCase ? undefined : readGivenRequest(words, flags);
  refuseMixtures(flags, isCase);
  if (flags.save !== undefined) readSavePlace(flags.save);
  const picked = flags.pick === undefined ? undefined : await readPicker(flags.pick, terminal);
  if (picked === null) return;
  const prepared = given
    ? await prepareGiven(given, allowing(flags), readGivenSettings(flags))
    : await preparePlan([words[0]!], { ...allowing(flags), cleansUp: false }, root =>
        readSelection(flags, root),
      );
  if (await refusedByErrors(prepared.findings, terminal)) return;
  noteUnsafe(prepared.findings, terminal);
  const asked = askedCase(prepared.plan, words[0]!);
  if (asked.steps.every(step => step.kind !== 'http'))
    return sendOther(prepared, asked, { flags, picked }, terminal);
  const saveTo = flags.output === undefined ? undefined : openDraft(flags.output);
  const sending = new SingleRequest(prepared, asked, terminal, {
    saveTo,
    tellsNeeded: given === undefined && !picked && !flags.raw,
    isGiven: given !== undefined,
    timeout: flags.timeout === undefined ? undefined : readTime('--timeout', flags.timeout),
  });
  const sent = await sending.run();
  if (saveTo !== undefined) closeDraft(saveTo, resolve(flags.output!), sent !== undefined);
  if (!sent) return;
  const last = sent.exchanges.at(-1)!;
  const problem = keepLast(sending.eventOf(last));
  if (problem !== undefined) terminal.err(`${problem}\n`);
  if (picked) printPicked(picked.pick(contextOf(sent.exchanges)), terminal, sending.masker, { quiet: true });
  else await show(sent, flags, sending, terminal);
  if (given && flags.save !== undefined)
    await saveCase(flags.save, { request: given, status: last.response!.status }, flags, terminal);
}

/** Of a case that sends no request, what its last query or command came to. */
async function sendOther(
  prepared: Prepared,
  asked: PlannedCase,
  { flags, picked }: { flags: SendFlags; picked: Picker | undefined },
  terminal: Terminal,
): Promise<void> {
  if (flags.raw || flags.headers || flags.output !== undefined)
    throw new UsageError(
      `--raw, --headers and -o are about a response, and ${asked.address} sends no request.`,
    );
  const timeout = flags.timeout === undefined ? undefined : readTime('--timeout', flags.timeout);
  const operated = await operate(prepared, asked, { timeout, terminal });
  if (!operated) return;
  const problem = keepLast(operated.last);
  if (problem !== undefined) terminal.err(`${problem}\n`);
  if (picked) printPicked(picked.pick(contextFor(operated.view)), terminal, operated.masker, { quiet: true });
  else await showOperated(operated, terminal);
}

/** A body that does not come to its end leaves no file behind; until then it grows beside its place. */
function openDraft(path: string): string {
  if (existsSync(path) && statSync(path).isDirectory())
    throw new UsageError(`'${path}' cannot be written: it is a folder.`);
  try {
    makeFolder(dirname(path));
  } catch (error) {
    throw new UsageError(`'${path}' cannot be written: ${(error as Error).message}`);
  }
  return `${resolve(path)}.${process.pid}.part`;
}

function closeDraft(draft: string, path: string, whole: boolean): void {
  if (whole && existsSync(draft)) renameSync(draft, path);
  else rmSync(draft, { force: true });
}

function refuseMixtures(flags: SendFlags, isCase: boolean): void {
  if (isCase && (flags.header || flags.body || flags.as !== undefined || flags.save !== undefined))
    throw new UsageError(
      '-H, --body, --as and --save belong to a method and a URL; a case says itself what it sends.',
    );
  const { ca, cert, key, unverified } = flags;
  if (isCase && (ca ?? cert ?? key ?? unverified) !== undefined)
    throw new UsageError(
      '--ca, --cert, --key and --unverified belong to a method and a URL; a case has them as a setting: tls: { ca: authority.pem }',
    );
  const ways = [flags.pick !== undefined && '--pick', flags.raw && '--raw', flags.headers && '--headers'];
  const chosen = ways.filter(Boolean);
  if (chosen.length > 1) throw new UsageError(`${chosen.join(' and ')} do not go together.`);
  if (flags.output !== undefined && (flags.pick !== undefined || flags.raw))
    throw new UsageError('-o writes the body into a file, so there is nothing left for --pick and --raw.');
}

/**
 * The one case that was asked for: of several the one that sends a request, else that asks a database or runs a command.
 * Throws UsageError where there are several, or none.
 */
function askedCase(plan: Plan, word: string): PlannedCase {
  const asked = plan.pages.flatMap(page => page.cases).filter(each => each.asked);
  const those = (...kinds: string[]) =>
    asked.filter(each => each.steps.some(({ kind }) => kinds.includes(kind)));
  const requests = those('http');
  const sending = requests.length > 0 ? requests : those('query', 'command');
  const [only] = sending;
  if (!only) {
    const isOther = asked.some(each => each.steps.some(step => step.operation !== undefined));
    throw new UsageError(
      `'${word}' sends no request, so no response would be shown.${isOther ? ` What else it does: mervok run ${word} --verbose` : ''}`,
    );
  }
  if (sending.length === 1) return only;
  const choices = sending.map(each => `  ${each.address}`).join('\n');
  throw new UsageError(`'${word}' has several cases. Which one?\n${choices}`);
}

/** What an expression sees of a response that was sent for on the command line. */
function contextOf(exchanges: readonly Exchange[]): EvaluationContext {
  const { response } = exchanges.at(-1)!;
  return contextFor(response && new ResponseView(response, factsOf(exchanges)), viewOfSent(exchanges));
}

async function show(sent: Sent, flags: SendFlags, sending: SingleRequest, terminal: Terminal): Promise<void> {
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
  const look: ExchangeView = { paint, width, measure: await createMeasure(shown.flatMap(wordsOf)) };
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
    else if (response.size > 0) {
      const body = await bodyText(
        { text, size: response.size },
        view.headerValues('content-type')[0],
        Math.min(width, 100),
        paint,
      );
      lines.push(...cutToScreen(body.split('\n'), terminal, lines.length), '');
    }
    lines.push(...figuresText(shown.at(-1)!, look));
    lines.push(...verdictOnChecks(sending.checks, paint));
  }
  out(`${lines.join('\n')}\n`);
}

/** What stands around a body on the screen, beside the status and the headers: figures and the next prompt. */
const linesBelow = 6;

/** Where it is read on a screen, a body that is longer is cut; at least some of it is shown. */
function cutToScreen(
  body: readonly string[],
  { height, width, paint }: Terminal,
  above: number,
): readonly string[] {
  if (height === undefined) return body;
  const shown = fitRows(body, Math.max(10, height - above - linesBelow), width);
  if (!shown) return body;
  const left = body.length - shown.length;
  const more = left === 0 ? 'more of this line' : counted(left, 'more line');
  return [...shown, paint('quiet', `… ${more}; all of it: mervok pick body, --raw, or -o FILE`)];
}

/** What stands in columns. */
function wordsOf({ request, response }: Exchange): string[] {
  return [request.url, ...(response?.headers.flat() ?? [])];
}

/** Everything of exchanges that is printed but their bodies. */
function maskedExchanges(exchanges: readonly Exchange[], masker: Masker): Exchange[] {
  return exchanges.map(({ response, request, ...rest }) => {
    const { body: _sent, ...asked } = request;
    if (!response) return masker.deep({ ...rest, request: asked });
    const { body, ...told } = response;
    return { ...masker.deep({ ...rest, request: asked }), response: { ...masker.deep(told), body } };
  });
}
