import { cpSync, existsSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type Defect, defects, isDefect } from '../../demo/harbour/defects.ts';
import type { Harbour } from '../../demo/harbour/server.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { didYouMean } from '../core/text/words.ts';
import { executeRun } from './execute-run.ts';
import { preparePlan, refusedByErrors } from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { besideOutputs, type Output, readOutputs } from './write-reports.ts';

export interface DemoFlags {
  readonly defect?: readonly string[];
  readonly serve?: boolean;
  readonly port?: string;
  /** Other data than the usual ones, by number. */
  readonly data?: string;
  readonly output?: readonly string[];
  readonly quiet?: boolean;
  /** A folder that the collection is written into, to begin from. */
  readonly copy?: string;
}

/** Where the build puts the pages of the demo, seen from the program beside it. */
const collectionFolder = fileURLToPath(new URL('./collection', import.meta.url));

export async function demoCommand(flags: DemoFlags, whole: Terminal): Promise<void> {
  if (flags.copy !== undefined) {
    copyCollection(flags.copy, whole);
    return;
  }
  const output = readOutputs(flags.output);
  const terminal = besideOutputs(output, whole);
  const chosen = (flags.defect ?? []).map(readDefect);
  const data = readData(flags.data);
  const folder = mkdtempSync(join(tmpdir(), 'skerry-harbour-'));
  const { harbour, ledgerFile } = await open(
    readPort(flags.port, flags.serve === true),
    chosen,
    folder,
    data,
  );
  // Whatever happens, an open harbour would keep the program from ending.
  try {
    if (!flags.quiet) {
      terminal.out(`The demo harbour is open at ${harbour.url}, and over TLS at ${harbour.safeUrl}.\n`);
      if (data > 0) terminal.out(`Its data are other ones, number ${data}.\n`);
      for (const name of chosen) terminal.out(`On purpose, ${defects[name]}.\n`);
    }
    if (flags.serve) {
      if (ledgerFile !== undefined)
        terminal.out(
          `Its ledger is ${ledgerFile}: mervok run --files-anywhere --set ledger-file=${ledgerFile}\n`,
        );
      terminal.out('It stays open until it is interrupted (Ctrl-C).\n');
      process.on('SIGUSR2', harbour.restartGauge);
      await interrupted();
    } else await runDemo(harbour, { ...flags, output, ledgerFile }, chosen, terminal);
  } finally {
    await harbour.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Writes the demo collection into a folder that is not there yet, or is empty. Throws UsageError. */
function copyCollection(folder: string, { out, paint }: Terminal): void {
  if (existsSync(folder) && (!statSync(folder).isDirectory() || readdirSync(folder).length > 0))
    throw new UsageError(
      `'${folder}' is there already and not empty; nothing was written. Name another folder.`,
    );
  try {
    cpSync(collectionFolder, folder, { recursive: true, filter: path => !path.endsWith('.mervok') });
    // What came with the package may be for reading alone.
    writeFileSync(join(folder, '.gitignore'), '.mervok/\nmervok.secret.yaml\n');
  } catch (error) {
    throw new UsageError(`The collection could not be written: ${(error as Error).message}`);
  }
  out(`${paint('quiet', 'written')}  ${folder}\n`);
  out(
    `\nNext, with the demo harbour open in another terminal (mervok demo --serve):\n  cd ${folder}\n  mervok run\n`,
  );
}

async function runDemo(
  harbour: Harbour,
  {
    output,
    quiet = false,
    ledgerFile,
  }: Pick<DemoFlags, 'quiet'> & {
    readonly output: readonly Output[];
    readonly ledgerFile: string | undefined;
  },
  chosen: readonly Defect[],
  terminal: Terminal,
): Promise<void> {
  const { out, paint } = terminal;
  if (!quiet) out('\n');
  const set = [`harbour=${harbour.url}`, `safe-harbour=${harbour.safeUrl}`];
  if (ledgerFile === undefined)
    out('This machine has no SQLite, so nothing looks into the ledger of the harbour.\n\n');
  const { plan, findings, root } = await preparePlan([collectionFolder], {
    set: ledgerFile === undefined ? set : [...set, `ledger-file=${ledgerFile}`],
    ...(ledgerFile === undefined && { without: [join(collectionFolder, 'quay', 'entries.md')] }),
    filesAnywhere: true,
  });
  if (await refusedByErrors(findings, terminal)) return;
  process.exitCode = await executeRun(
    plan,
    { output, view: quiet ? 'verdict' : 'all', places: { root, anywhere: true } },
    terminal,
  );
  if (quiet) return;
  const next = [
    ['the pages that ran', nearPath(root)],
    [
      'a mistake of the harbour',
      `mervok demo --defect ${chosen[0] === 'lying-count' ? 'leaking-list' : 'lying-count'}`,
    ],
    ...(output.length === 0 ? [['a report to read', 'mervok demo -o harbour.html']] : []),
    ['a collection of your own', 'mervok init my-harbour'],
  ];
  out(`\n${next.map(([what, how]) => `${paint('quiet', `${what!.padEnd(24)}  `)}${how}`).join('\n')}\n`);
}

/** A path as seen from the working folder, where it lies below. */
function nearPath(path: string): string {
  const near = relative(process.cwd(), path);
  return near.startsWith('..') ? path : near;
}

function readDefect(name: string): Defect {
  if (isDefect(name)) return name;
  const known = Object.entries(defects).map(([each, what]) => `  ${each.padEnd(14)} ${what}`);
  throw new UsageError(
    `The harbour has no defect '${name}'. ${didYouMean(name, Object.keys(defects)) ?? ''}\n${known.join('\n')}`.replace(
      ' \n',
      '\n',
    ),
  );
}

function readPort(text: string | undefined, serve: boolean): number {
  if (text === undefined) return serve ? 7070 : 0;
  const port = Number(text);
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new UsageError(`'${text}' is no port; ports go from 0 to 65535.`);
  return port;
}

/** Throws UsageError. */
function readData(text = '0'): number {
  if (/^\d{1,9}$/.test(text)) return Number(text);
  throw new UsageError(`'${text}' is no number of other data. For example: --data 7`);
}

/** @param folder that the harbour keeps its ledger in */
async function open(
  port: number,
  chosen: readonly Defect[],
  folder: string,
  data: number,
): Promise<{ harbour: Harbour; ledgerFile: string | undefined }> {
  try {
    const { Ledger, openHarbour } = await import('../../demo/harbour/server.ts');
    const file = join(folder, 'ledger.db');
    const ledger = Ledger.open(file);
    return { harbour: await openHarbour(port, chosen, ledger, data), ledgerFile: ledger && file };
  } catch (error) {
    rmSync(folder, { recursive: true, force: true });
    const { code, message, port: taken = port } = error as NodeJS.ErrnoException & { port?: number };
    const why = code === 'EADDRINUSE' ? `port ${taken} is taken; choose another with --port` : message;
    throw new UsageError(`The demo harbour cannot be opened: ${why}.`);
  }
}

function interrupted(): Promise<void> {
  return new Promise(done => {
    process.once('SIGINT', done);
    process.once('SIGTERM', done);
  });
}
