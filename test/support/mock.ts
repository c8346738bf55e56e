import { spawn } from 'node:child_process';
import type { TestContext } from 'node:test';
import { program } from './program.ts';

/** A stand-in that is open. */
export interface OpenMock {
  /** Its address, with the path of the base. */
  readonly url: string;
  /** What it has printed. */
  readonly said: () => string;
  /** Resolves once it has printed something. */
  until(pattern: RegExp): Promise<void>;
  /** Ends it, and gives its exit code. */
  end(): Promise<number | null>;
}

/** Starts the built program as a stand-in on a free port; it ends with the test. */
export async function startMock(
  test: Pick<TestContext, 'after'>,
  folder: string,
  args: readonly string[] = [],
  environment: { [name: string]: string } = {},
): Promise<OpenMock> {
  const child = spawn(process.execPath, [program, 'mock', '--port', '0', ...args], {
    cwd: folder,
    env: { ...process.env, ...environment },
  });
  let said = '';
  let looks: (() => void)[] = [];
  const hear = (chunk: Buffer) => {
    said += chunk;
    for (const look of looks) look();
  };
  child.stdout.on('data', hear);
  child.stderr.on('data', hear);
  const ended = new Promise<number | null>(done => child.on('close', done));
  test.after(() => child.kill('SIGKILL'));
  const until = (pattern: RegExp) =>
    new Promise<void>((found, failed) => {
      const look = () => {
        if (!pattern.test(said)) return;
        looks = looks.filter(each => each !== look);
        found();
      };
      looks.push(look);
      ended.then(() => failed(new Error(`It has ended, and never said ${pattern}: ${said}`)));
      look();
    });
  await until(/^http:\S+[\s\S]*ends it\./m);
  return {
    url: /^http:\S+/m.exec(said)![0],
    said: () => said,
    until,
    end: () => {
      child.kill('SIGINT');
      return ended;
    },
  };
}
