import { existsSync } from 'node:fs';
import { appendFile, mkdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import type { Terminal } from './terminal.ts';

const settings = `title: My harbour
base: "{harbour}/v1"

environments:
  # 'mervok demo --serve' opens a harbour at this address.
  local:   { harbour: "http://127.0.0.1:7070" }
  staging: { harbour: "https://staging.skerry.example" }
environment: local
`;

const page = `# Berths

Every heading with a request below it is a case. Prose explains it; the fences are carried out in the order in which
they are read.

## List the free berths

\`\`\`http
GET /berths?state=free
\`\`\`

\`\`\`mervok
status = 200
header content-type contains "json"
each $.berths[*].state = "free"
keep first $.berths[*].code as berth
\`\`\`

## Look at one of them

The name kept above is used here. If the case above does not give it, this one is blocked, not failed.

\`\`\`http
GET /berths/{berth}
\`\`\`

\`\`\`mervok
status = 200
$.code = {berth}
$.depth is number
time < 2 s
\`\`\`
`;

const ignored = ['.mervok/', 'mervok.secret.yaml'];

/** Writes a collection that runs, and never over anything that is there. */
export async function initCommand(folder: string, { out, paint }: Terminal): Promise<void> {
  const files: [string, string][] = [
    ['mervok.yaml', settings],
    ['berths.md', page],
  ];
  const taken = files.find(([name]) => existsSync(join(folder, name)));
  if (taken)
    throw new UsageError(
      `'${join(folder, taken[0])}' is already there; nothing was written. Name another folder: mervok init my-harbour`,
    );
  try {
    await mkdir(folder, { recursive: true });
    for (const [name, text] of files) await writeFile(join(folder, name), text, { flag: 'wx' });
    await ignore(join(folder, '.gitignore'));
  } catch (error) {
    throw new UsageError(`The collection could not be written: ${(error as Error).message}`);
  }
  for (const [name] of [...files, ['.gitignore']])
    out(`${paint('quiet', 'written')}  ${join(folder, name!)}\n`);
  const enter = folder === '.' ? '' : `cd ${folder}\n  `;
  out(
    `\nNext, with the demo harbour open in another terminal (mervok demo --serve):\n  ${enter}mervok run\n`,
  );
}

async function ignore(path: string): Promise<void> {
  const before = existsSync(path) ? await readFile(path, 'utf8') : '';
  const missing = ignored.filter(rule => !before.split(/\r?\n/).includes(rule));
  if (missing.length > 0)
    await appendFile(path, `${before === '' || before.endsWith('\n') ? '' : '\n'}${missing.join('\n')}\n`);
}
