import { createPaint, type Paint } from '../reports/style.ts';

/** Where a command prints, and what that place can show. */
export interface Terminal {
  readonly out: (text: string) => void;
  readonly err: (text: string) => void;
  readonly width: number;
  /** Whether output can be taken back: a line that shows how far something is. */
  readonly live: boolean;
  /** For standard output, and for standard error: each may go somewhere else. */
  readonly paint: Paint;
  readonly paintErr: Paint;
}

export function openTerminal(colour: boolean): Terminal {
  const { stdout, stderr, env } = process;
  const wanted = colour && !env.NO_COLOR && env.TERM !== 'dumb';
  return {
    out: text => stdout.write(text),
    err: text => stderr.write(text),
    live: stdout.isTTY === true && env.TERM !== 'dumb',
    width: stdout.columns ?? (Number(env.COLUMNS) || 100),
    paint: createPaint(wanted && stdout.isTTY === true),
    paintErr: createPaint(wanted && stderr.isTTY === true),
  };
}
