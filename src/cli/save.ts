import { existsSync, readFileSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import { slug as slugOf } from 'github-slugger';
import { Source } from '../core/model/source.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { plainHeading } from '../core/pages/plain-heading.ts';
import { readPage } from '../core/pages/read-page.ts';
import { signature } from '../core/pages/signature.ts';
import { type GivenRequest, writeCase } from '../core/steps/http/write-request.ts';
import { capitalized } from '../core/text/words.ts';
import { writeWhole } from '../platform/recorder.ts';
import { exitCodes } from './exit.ts';
import { baseOf, type PlanFlags } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** Headers whose values do not belong into a page that is committed. */
const ofOnePerson = /^(?:authorization|proxy-authorization|cookie)$/i;

interface Place {
  readonly path: string;
  readonly heading: string;
  readonly slug: string;
  readonly before: string;
}

/** Reads where a request is to be saved. Throws UsageError. */
export function readSavePlace(written: string): Place {
  const [path = '', heading = ''] = written.split(/#(.*)/s);
  if (!/[^/\\]\.md$/i.test(path) || heading.trim() === '')
    throw new UsageError(`'${written}' is no place for a case. For example: --save berths.md#free-berths`);
  const before = existsSync(path) ? readText(path) : `# ${titleOf(path)}\n`;
  const title = /\s|[A-Z]/.test(heading) ? heading.trim() : sentence(heading);
  const slug = slugOf(plainHeading(title));
  // The page as it will be tells whether the case can stand there.
  const probe = { method: 'GET', target: '/', headers: [] };
  const last = readPage(new Source(path, writeCase(before, title, probe, 200))).cases.at(-1);
  if (last?.title !== plainHeading(title))
    throw new UsageError(`${path} cannot take a case at its end: something above is not closed.`);
  if (last.slug !== slug)
    throw new UsageError(`${path} has a heading of that name already. Give the new case another one.`);
  return { path, heading: title, slug, before };
}

function readText(path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    throw new UsageError(`'${path}' cannot be read (${(error as NodeJS.ErrnoException).code}).`);
  }
}

function titleOf(path: string): string {
  return sentence(path.replace(/^.*[/\\]|\.md$/gi, ''));
}

/** `free-berths` as a heading. */
function sentence(slug: string): string {
  const words = slug.replaceAll('-', ' ');
  return capitalized(words);
}

/** Puts a request behind what a page holds; its address is that of the collection's base where it can be. */
export async function saveCase(
  written: string,
  { request, status }: { readonly request: GivenRequest; readonly status: number },
  flags: PlanFlags,
  { out, err }: Terminal,
): Promise<void> {
  const { path, heading, slug, before } = readSavePlace(written);
  const headers = request.headers.filter(([name]) => !ofOnePerson.test(name));
  const base = await baseOf(path, flags);
  const body =
    request.body?.form === 'file'
      ? {
          form: 'file' as const,
          text: relative(dirname(resolve(path)), request.body.text).replaceAll('\\', '/'),
        }
      : request.body;
  const target =
    base !== undefined && request.target.startsWith(`${base}/`)
      ? request.target.slice(base.length)
      : request.target;
  const text = writeCase(before, heading, { ...request, target, headers, ...(body && { body }) }, status);
  try {
    if (!isMeant(path, before, text)) throw new Error('it would not be read as it is meant.');
    await writeWhole(path, [text]);
  } catch (error) {
    err(`The case could not be written into '${path}': ${(error as Error).message}\n`);
    process.exitCode = exitCodes.unfinished;
    return;
  }
  out(`saved as ${path}#${slug}\n`);
  for (const [name] of request.headers)
    if (ofOnePerson.test(name))
      err(
        `${name} is not in the page, which others will read; the setting 'auth' takes it from a secret variable.\n`,
      );
}

/** Whether one case with a request and a check is all that a page has more than before. */
function isMeant(path: string, before: string, text: string): boolean {
  const [was, is] = [before, text].map(each => readPage(new Source(path, each)).cases);
  const steps = is!.at(-1)?.steps.map(({ type }) => type);
  return (
    signature(was) === signature(is!.slice(0, -1)) &&
    steps?.length === 2 &&
    steps[0] === 'http' &&
    steps[1] === 'check'
  );
}
