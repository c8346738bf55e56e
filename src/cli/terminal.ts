import { createPaint, type Paint } from '../reports/style.ts';
import { exitCodes } from './exit.ts';

/** Where a command prints, and what that place can show. */
export interface Terminal {
  readonly out: (text: string) => void;
  readonly err: (text: string) => void;
  readonly width: number;
  /** In lines; nothing where output goes into a file or a pipe. */
  readonly height: number | undefined;
  /** Whether output can be taken back: a line that shows how far something is. */
  readonly live: boolean;
  /** For standard output, and for standard error: each may go somewhere else. */
  readonly paint: Paint;
  readonly paintErr: Paint;
}

/** Whether nothing more can be written to standard output. */
let isBroken = false;

/**
 * Output that cannot be written ends the output alone: what goes on comes to its end, with its reports and its exit code.
 * A reader may stop early, as `head` does; a disk may be full.
 * @param judges whether the command ends with a verdict, which then could not be told
 */
export function watchOutput({ judges }: { readonly judges: boolean }): void {
  process.stderr.on('error', () => undefined);
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (isBroken) return;
    isBroken = true;
    const isClosed = error.code === 'EPIPE';
    if (isClosed && !judges) return;
    const why = isClosed ? 'nobody reads it any more' : `the system says ${error.code ?? error.message}`;
    process.stderr.write(
      `Standard output cannot be written: ${why}.${judges ? ' The verdict is not told.' : ''}\n`,
    );
    process.once('exit', () => {
      process.exitCode = exitCodes.unfinished;
    });
  });
}

export function openTerminal({ color: colour = true }: { readonly color?: boolean } = {}): Terminal {
  const { stdout, stderr, env } = process;
  const wanted = colour && !env.NO_COLOR && env.TERM !== 'dumb';
  return {
    out: text => {
      if (!isBroken) stdout.write(text);
    },
    err: text => stderr.write(text),
    live: stdout.isTTY === true && env.TERM !== 'dumb',
    width: stdout.columns ?? (Number(env.COLUMNS) || 100),
    height: stdout.isTTY ? stdout.rows : undefined,
    paint: createPaint({ colour: wanted && stdout.isTTY === true }),
    paintErr: createPaint({ colour: wanted && stderr.isTTY === true }),
  };
}
