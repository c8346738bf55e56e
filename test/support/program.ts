import { spawn } from 'node:child_process';
import { resolve } from 'node:path';

export const program = resolve('dist/mervok.cjs');

export interface Ended {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

/** Runs the built program. */
export function mervok(
  folder: string,
  args: readonly string[],
  environment: { [name: string]: string } = {},
  whileRunning?: (child: ReturnType<typeof spawn>) => void,
  /** In milliseconds: a program that does not end is a failure of its test, not of the machine. */
  most = 90_000,
): Promise<Ended> {
  const child = spawn(process.execPath, [program, ...args], {
    cwd: folder,
    env: { ...process.env, ...environment },
  });
  let [out, err] = ['', ''];
  child.stdout.on('data', chunk => (out += chunk));
  child.stderr.on('data', chunk => (err += chunk));
  whileRunning?.(child);
  const watchdog = setTimeout(() => child.kill('SIGKILL'), most);
  return new Promise(ended =>
    child.on('close', code => {
      clearTimeout(watchdog);
      ended({ code, out, err });
    }),
  );
}

/** Interrupts the program a moment after it has told a case. @param title of the case @param moment in milliseconds */
export function interruptAfter(title: string, moment = 300): (child: ReturnType<typeof spawn>) => void {
  return child => {
    let said = '';
    child.stdout!.on('data', chunk => {
      if (said.includes(title)) return;
      said += chunk;
      if (said.includes(title)) setTimeout(() => child.kill('SIGINT'), moment);
    });
  };
}
