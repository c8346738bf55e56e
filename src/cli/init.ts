import { existsSync } from 'node:fs';
import { readdir, writeFile } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import { capitalized, counted } from '../core/text/words.ts';
import { collectionAround, rootFile } from '../platform/collection-folder.ts';
import { addRules, missingRules } from '../platform/ignore-rules.ts';
import { makeFolder } from '../platform/make-folder.ts';
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

/** For pages that are there already: whatever they need can be taken in line by line. */
const settingsOfPages = (title: string) => `title: ${JSON.stringify(title)}

# What stands before every target that begins with '/', and is another one in each environment:
# base: "{api}/v1"
# environments:
#   local:   { api: "http://127.0.0.1:7070" }
#   staging: { api: "https://staging.skerry.example" }
# environment: local
`;

/** Writes what a folder lacks to be a collection that runs, and never over anything that is there. */
export async function initCommand(folder: string, { out, paint }: Terminal): Promise<void> {
  const around = collectionAround(nearestFolder(folder));
  if (around !== undefined && around !== resolve(folder))
    throw new UsageError(
      `'${folder}' lies in the collection ${around}; nothing was written. A page there is a part of it at once, and a ${rootFile} would hold settings of that folder alone.`,
    );
  const files: [name: string, text: string][] = [];
  const pages = existsSync(folder) ? (await readdir(folder)).filter(name => /\.md$/i.test(name)) : [];
  if (around === undefined)
    files.push([rootFile, pages.length === 0 ? settings : settingsOfPages(titleOf(folder))]);
  if (pages.length === 0) files.push(['berths.md', page]);
  const rules = await missingRules(join(folder, '.gitignore'));
  if (files.length + rules.length === 0) {
    out(
      `Nothing is missing ${folder === '.' ? 'here' : `in '${folder}'`}: it is a collection with pages. Next: mervok run\n`,
    );
    return;
  }
  try {
    makeFolder(folder);
    for (const [name, text] of files) await writeFile(join(folder, name), text, { flag: 'wx' });
    if (rules.length > 0) await addRules(join(folder, '.gitignore'), rules);
  } catch (error) {
    throw new UsageError(`The collection could not be written: ${(error as Error).message}`);
  }
  const written = [...files.map(([name]) => name), ...(rules.length > 0 ? ['.gitignore'] : [])];
  for (const name of written) out(`${paint('quiet', 'written')}  ${join(folder, name)}\n`);
  const enter = folder === '.' ? '' : `cd ${folder}\n  `;
  out(
    pages.length === 0
      ? `\nNext, with the demo harbour open in another terminal (mervok demo --serve):\n  ${enter}mervok run\n\nWhat can be checked: mervok help checks\n`
      : `\nThe ${counted(pages.length, 'page')} that ${pages.length === 1 ? 'is' : 'are'} there stayed as ${pages.length === 1 ? 'it is' : 'they are'}. Next:\n  ${enter}mervok run\n`,
  );
}

/** The folder itself, or the nearest one above it that is there. */
function nearestFolder(folder: string): string {
  const path = resolve(folder);
  return existsSync(path) ? path : nearestFolder(dirname(path));
}

function titleOf(folder: string): string {
  return capitalized(basename(resolve(folder)).replace(/[-_]+/g, ' '));
}
