import { buildPlan } from '../core/analysis/build-plan.ts';
import { type CollectionFiles, readCollection } from '../core/analysis/collection.ts';
import type { Finding } from '../core/model/finding.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { Missing } from '../core/model/value.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { type BuiltPatterns, buildPatterns } from '../core/stand-in/build-stand-in.ts';
import { RecordedAnswers } from '../core/stand-in/recorded-answers.ts';
import { StandIn } from '../core/stand-in/stand-in.ts';
import { isLoopback } from '../core/text/hosts.ts';
import { counted } from '../core/text/words.ts';
import { clockAndRandom, openExternalSources } from '../platform/external-sources.ts';
import { fileAccess, readBytesInside } from '../platform/files.ts';
import { findCollection } from '../platform/find-collection.ts';
import { findRun, readRecord } from '../platform/run-records.ts';
import { type OpenServer, openServer } from '../platform/stand-in/http-server.ts';
import { exitCodes } from './exit.ts';
import { mockDefinition } from './mock-definition.ts';
import { MockLog } from './mock-log.ts';
import { readWeather, type WeatherFlags } from './mock-weather.ts';
import { type PlanFlags, printFindings, readGiven } from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { Changes } from './watch-files.ts';

export interface MockFlags extends PlanFlags, WeatherFlags {
  readonly port?: string;
  readonly host?: string;
  readonly from?: string;
  readonly cors?: boolean;
  readonly log?: string;
  readonly quiet?: boolean;
}

/** Answers requests from the examples of pages, until it is interrupted. */
export async function mockCommand(
  paths: readonly string[],
  flags: MockFlags,
  terminal: Terminal,
): Promise<void> {
  const { host = '127.0.0.1' } = flags;
  const port = readPort(flags.port);
  const weather = readWeather(flags);
  const mock = new Mock(paths, flags);
  const built = await mock.read(terminal);
  if (!built) {
    process.exitCode = exitCodes.nothingSent;
    return;
  }
  const log = new MockLog(flags, terminal, () => mock.keyNames);
  const server = await open({
    host,
    port,
    weather,
    cors: flags.cors !== false,
    answer: request => mock.standIn.answer(request),
    readFile: path => bytesOf(mock.root, path),
    onServed: served => log.add(served),
  });
  const changes = await Changes.of(mock.root);
  tellStart(built, mock.standIn.others.definition !== undefined, { host, port: server.port }, terminal);
  try {
    await readAnew(mock, changes, terminal);
  } finally {
    await changes.close();
    await server.close();
    log.close();
  }
}

async function open(choices: Parameters<typeof openServer>[0]): Promise<OpenServer> {
  try {
    return await openServer(choices);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === 'EADDRINUSE')
      throw new UsageError(
        `Port ${choices.port} is in use. Choose another one: --port ${choices.port + 1}, or 0 for a free one.`,
      );
    if (code === 'EACCES')
      throw new UsageError(`This user may not listen on port ${choices.port}. Choose one above 1023.`);
    if (code === 'EADDRNOTAVAIL' || code === 'ENOTFOUND')
      throw new UsageError(`'${choices.host}' is no address of this machine.`);
    throw new UsageError(`Nothing can be answered here: ${message}.`);
  }
}

function bytesOf(root: string, path: string): Uint8Array | { reason: string } {
  const bytes = readBytesInside({ root, anywhere: false }, path);
  return bytes instanceof Missing ? { reason: bytes.reason } : bytes;
}

/** What a page lacks that is none of the business of a server that sends nothing. */
const elsewhere: ReadonlySet<string> = new Set([
  ...['os-unset', 'environment-unchosen', 'file-missing', 'step-refused', 'step-impossible', 'table-form'],
  ...['name-unknown', 'name-later', 'name-ambiguous', 'name-of-rows', 'database-unknown', 'schema-missing'],
]);

/** The pages, as they were when they could last be read, and what answers from them. */
class Mock {
  root = '';
  standIn!: StandIn;
  keyNames: ReadonlySet<string> = new Set();
  #recorded: RecordedAnswers | undefined;
  /** By their paths: texts of pages that could be read. */
  readonly #good = new Map<string, string>();

  constructor(
    readonly paths: readonly string[],
    readonly flags: MockFlags,
  ) {}

  /** Nothing where there are errors, which are told. */
  async read(terminal: Terminal): Promise<BuiltPatterns | undefined> {
    const { root, files, paths } = await findCollection(this.paths, process.cwd());
    this.root = root;
    const { from } = this.flags;
    if (from !== undefined)
      this.#recorded = await RecordedAnswers.from(
        readRecord(findRun(from, root).path, await openEventCheck()),
      );
    const { built, errors } = await this.#build(files, paths);
    if (!built) {
      await printFindings(errors, terminal);
      return undefined;
    }
    for (const { path, text } of files.pages) this.#good.set(path, text);
    const told = built.findings.filter(
      ({ code }) => code.startsWith('example-') || code.startsWith('target-'),
    );
    if (told.length > 0) await printFindings(told, terminal);
    return built;
  }

  /** Reads everything again; of a page that cannot be read the last good text stays. What is wrong is given back. */
  async readAgain(): Promise<{ built?: BuiltPatterns; errors: readonly Finding[] }> {
    const { files, paths } = await findCollection(this.paths, process.cwd());
    const first = await this.#build(files, paths);
    if (first.built) {
      for (const { path, text } of files.pages) this.#good.set(path, text);
      return { built: first.built, errors: [] };
    }
    const broken = new Set(first.errors.map(({ source }) => source.file));
    const pages = files.pages.flatMap(page => {
      if (!broken.has(page.path)) return [page];
      const text = this.#good.get(page.path);
      return text === undefined ? [] : [{ path: page.path, text }];
    });
    const { built } = await this.#build({ ...files, pages }, paths);
    return { ...(built && { built }), errors: first.errors };
  }

  async #build(
    { secrets: _secrets, ...files }: CollectionFiles,
    paths: readonly string[],
  ): Promise<{
    built?: BuiltPatterns;
    errors: readonly Finding[];
  }> {
    const collection = await readCollection(files);
    const places = { root: this.root, anywhere: this.flags.filesAnywhere === true };
    const { plan, flow, findings } = await buildPlan(collection, {
      paths,
      ...(this.flags.env !== undefined && { environment: this.flags.env }),
      given: await readGiven(this.flags),
      ...fileAccess(places),
    });
    const errors = findings.filter(({ severity, code }) => severity === 'error' && !elsewhere.has(code));
    if (errors.length > 0) return { errors };
    // What the environment of the process holds is nobody's business here.
    const external = { ...openExternalSources({ root: this.root }), variable: () => undefined };
    const built = await buildPatterns(plan, flow, { external, clockAndRandom });
    const definition = mockDefinition(plan, built.base);
    const { patterns, unanswered, base } = built;
    const recorded = this.#recorded;
    this.standIn = new StandIn(patterns, { unanswered, basePath: base?.path ?? '', definition, recorded });
    this.keyNames = built.keyNames;
    return { built: { ...built, findings: [...findings, ...built.findings] }, errors: [] };
  }
}

/** Reads pages anew when they change, until it is interrupted. */
async function readAnew(mock: Mock, changes: Changes, { out, err, paint }: Terminal): Promise<void> {
  for (let files = await changes.next(); files; files = await changes.next()) {
    if (!files.some(file => /\.(?:md|ya?ml|json|csv)$/i.test(file))) continue;
    try {
      const { built, errors } = await mock.readAgain();
      const [first] = errors;
      if (first) {
        const { line } = first.source.position(first.range.start);
        err(`${first.source.file}:${line}: ${first.message} What could be read before stays.\n`);
      }
      if (built) out(`${paint('quiet', `read anew: ${files.join(', ')}`)}\n`);
    } catch (error) {
      if (!isUsageError(error)) throw error;
      err(`${error.message} What could be read before stays.\n`);
    }
  }
}

function tellStart(
  { patterns, base, without }: BuiltPatterns,
  hasDefinition: boolean,
  { host, port }: { readonly host: string; readonly port: number },
  { out, err, paint }: Terminal,
): void {
  const shownHost = host.includes(':') ? `[${host}]` : host;
  out(
    `http://${shownHost}:${port}${base?.path ?? ''}${base ? paint('quiet', `  in the place of ${base.address}`) : ''}\n`,
  );
  const forms = new Set(patterns.map(({ pattern }) => pattern.form));
  const alike = patterns.length - forms.size;
  out(
    `${counted(patterns.length, 'request')} with an example${without === 0 ? '' : `, ${without} without`}; Ctrl-C ends it.\n`,
  );
  if (alike > 0)
    out(
      `${paint('quiet', `${alike} of them ${alike === 1 ? 'is' : 'are'} just like an earlier one, which answers; the header Mervok-Answer says which does.`)}\n`,
    );
  out('\n');
  if (!isLoopback(host))
    err('Whoever reaches this machine gets these answers: it listens beyond the machine itself.\n');
  if (patterns.length > 0) return;
  const how = 'a fence ```http that begins with HTTP/. mervok run --examples write writes them.\n';
  err(
    hasDefinition
      ? `No page has an example, so all is answered as the definition describes it. An example is ${how}`
      : `No page has an example: ${how}`,
  );
}

function readPort(text = '7080'): number {
  const port = Number(text);
  if (Number.isInteger(port) && port >= 0 && port <= 65_535 && text.trim() !== '') return port;
  throw new UsageError(`'${text}' is no port; ports go from 0 to 65535.`);
}
