import { type ChildProcess, spawn } from 'node:child_process';
import { join } from 'node:path';
import type { EndedCommand, OutgoingCommand } from '../../core/steps/command/command-port.ts';
import { passedOn } from '../../core/steps/command/read-command.ts';
import { durationText } from '../../core/values/text.ts';
import { after, elapsed } from '../clock.ts';
import { limitText } from '../limit-text.ts';
import { forgetGroup, noteGroup, signalGroup } from './running-groups.ts';

type Fault = NonNullable<EndedCommand['fault']>;

/** In milliseconds: from asking a group to end to ending it, and from there to not waiting for it any more. */
const grace = 300;
/** So long the rest of what a command has put out is waited for, where somebody keeps its pipe open. */
const lastWords = 200;

/** @param root of the collection */
export function runCommand(
  command: OutgoingCommand,
  root: string,
  signal: AbortSignal,
): Promise<EndedCommand> {
  return new RunningCommand(command, root).run(signal);
}

/** What a command has put out on one of its pipes, up to a limit. */
class Output {
  readonly #chunks: Buffer[] = [];
  size = 0;

  constructor(readonly limit: number) {}

  /** Whether it is too much. */
  add(chunk: Buffer): boolean {
    const room = this.limit - this.size;
    if (room > 0) this.#chunks.push(chunk.length > room ? chunk.subarray(0, room) : chunk);
    this.size += chunk.length;
    return this.size > this.limit;
  }

  get bytes(): Buffer {
    return Buffer.concat(this.#chunks);
  }
}

/** A command while it runs: in a process group of its own, with nothing on its standard input. */
class RunningCommand {
  readonly #output: Output;
  readonly #errors: Output;
  #group: number | undefined;
  #fault: Fault | undefined;
  readonly #timers: (() => void)[] = [];

  constructor(
    readonly command: OutgoingCommand,
    readonly root: string,
  ) {
    this.#output = new Output(command.limit);
    this.#errors = new Output(command.limit);
  }

  async run(signal: AbortSignal): Promise<EndedCommand> {
    const begin = elapsed();
    const onAbort = () =>
      this.#end({ kind: 'interrupted', message: 'The run was interrupted before the command had ended.' });
    const exit = signal.aborted ? undefined : await this.#carryOut(signal, onAbort);
    if (signal.aborted) onAbort();
    for (const cancel of this.#timers) cancel();
    return {
      output: this.#output.bytes,
      errors: this.#errors.bytes,
      time: elapsed() - begin,
      ...(this.#fault ? { fault: this.#fault } : exit !== undefined && { exit }),
    };
  }

  /** The code that it ended with, where it did by itself. */
  async #carryOut(signal: AbortSignal, onAbort: () => void): Promise<number | undefined> {
    const { timeout } = this.command;
    let child: ChildProcess;
    try {
      child = this.#start();
    } catch (error) {
      this.#fault = startFault(error as NodeJS.ErrnoException);
      return undefined;
    }
    const closed = new Promise(resolve => child.once('close', resolve));
    const ended = this.#ended(child);
    const { pid } = child;
    if (pid === undefined) return ended;
    this.#group = pid;
    noteGroup(pid);
    signal.addEventListener('abort', onAbort);
    this.#timers.push(
      after(timeout, () =>
        this.#end({
          kind: 'timeout',
          message: `The command had not ended within ${durationText(timeout)}. The limit is the setting 'timeout'.`,
        }),
      ),
    );
    const exit = await ended;
    // Whatever of it is left has nothing to do any more; what has left its group may hold its pipes open.
    await endGroup(pid);
    forgetGroup(pid);
    await Promise.race([closed, pause(lastWords)]);
    child.stdout?.destroy();
    child.stderr?.destroy();
    signal.removeEventListener('abort', onAbort);
    return exit;
  }

  #start(): ChildProcess {
    const { text, folder, variables } = this.command;
    const environment: { [name: string]: string } = {};
    for (const name of passedOn) {
      const value = process.env[name];
      if (value !== undefined) environment[name] = value;
    }
    for (const [name, value] of variables) environment[name] = value;
    const child = spawn('sh', ['-c', '--', text], {
      cwd: join(this.root, folder),
      env: environment,
      detached: true,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    child.stdout.on('data', chunk => this.#take(this.#output, chunk, ''));
    child.stderr.on('data', chunk => this.#take(this.#errors, chunk, ' as errors'));
    return child;
  }

  #take(into: Output, chunk: Buffer, what: string): void {
    if (!into.add(chunk)) return;
    const limit = limitText(this.command.limit);
    this.#end(
      {
        kind: 'limit',
        message: `What the command has put out${what} is more than ${limit}. The limit is the setting 'limits': { output: ${limit} }.`,
      },
      'SIGKILL',
    );
  }

  /** Ends all of it; the first reason counts. */
  #end(fault: Fault, signal: NodeJS.Signals = 'SIGTERM'): void {
    if (this.#fault) return;
    this.#fault = fault;
    const group = this.#group;
    if (group === undefined) return;
    signalGroup(group, signal);
    this.#timers.push(after(grace, () => signalGroup(group, 'SIGKILL')));
  }

  #ended(child: ChildProcess): Promise<number | undefined> {
    return new Promise(resolve => {
      child.once('error', error => {
        this.#fault ??= startFault(error);
        resolve(undefined);
      });
      child.once('exit', (code, signal) => {
        if (signal)
          this.#fault ??= { kind: 'killed', message: `The command was ended by the signal ${signal}.` };
        resolve(code ?? undefined);
      });
    });
  }
}

/** Asks what is left of a group to end, and ends it a moment later. */
async function endGroup(group: number): Promise<void> {
  if (!signalGroup(group, 'SIGTERM')) return;
  for (const end = elapsed() + grace; elapsed() < end; ) {
    await pause(10);
    if (!signalGroup(group, 0)) return;
  }
  signalGroup(group, 'SIGKILL');
}

function pause(milliseconds: number): Promise<void> {
  return new Promise(resume => setTimeout(resume, milliseconds));
}

function startFault({ code, message }: NodeJS.ErrnoException): Fault {
  if (code === 'ENOENT')
    return { kind: 'missing', message: "The command cannot be run: there is no 'sh' on this machine." };
  if (code === 'E2BIG')
    return {
      kind: 'limit',
      message: 'The command cannot be run: with what it is given it is more than the system hands over.',
    };
  return { kind: 'refused', message: `The command cannot be run (${code ?? message}).` };
}
