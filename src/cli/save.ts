import { existsSync, readFileSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import { readPage } from '../core/page/read.ts';
import { plainHeading, Slugs } from '../core/page/slug.ts';
import { type GivenRequest, writeCase } from '../core/page/write-request.ts';
import { Source } from '../core/text/source.ts';
import { writeWhole } from '../drivers/record.ts';
import { UsageMistake } from './exit.ts';
import { baseOf, type PlanFlags } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** Headers whose values do not belong into a page that is committed. */
const private_ = /^(?:authorization|proxy-authorization|cookie)$/i;

interface Place {
  readonly path: string;
  readonly heading: string;
  readonly before: string;
}

/** Reads where a request is to be saved. Throws UsageMistake. */
export function readSavePlace(written: string): Place {
  const [path = '', heading = ''] = written.split(/#(.*)/s);
  if (!/\.md$/i.test(path) || heading.trim() === '')
    throw new UsageMistake(`'${written}' is no place for a case. For example: --save berths.md#free-berths`);
  const before = existsSync(path) ? readFileSync(path, 'utf8') : `# ${titleOf(path)}\n`;
  const title = /\s|[A-Z]/.test(heading) ? heading.trim() : sentence(heading);
  const slug = new Slugs().next(plainHeading(title));
  if (readPage(new Source(path, before)).cases.some(each => each.slug === slug))
    throw new UsageMistake(`${path} has a case '${slug}' already. Give the new one another heading.`);
  return { path, heading: title, before };
}

function titleOf(path: string): string {
  return sentence(path.replace(/^.*[/\\]|\.md$/gi, ''));
}

/** `free-berths` as a heading. */
function sentence(slug: string): string {
  const words = slug.replaceAll('-', ' ');
  return words[0]!.toUpperCase() + words.slice(1);
}

/** Puts a request behind what a page holds; its address is that of the collection's base where it can be. */
export async function saveCase(
  written: string,
  request: GivenRequest,
  status: number,
  flags: PlanFlags,
  { out, err }: Terminal,
): Promise<void> {
  const { path, heading, before } = readSavePlace(written);
  const headers = request.headers.filter(([name]) => !private_.test(name));
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
  await writeWhole(
    path,
    (async function* () {
      yield text;
    })(),
  );
  out(`saved as ${path}#${new Slugs().next(plainHeading(heading))}\n`);
  for (const [name] of request.headers)
    if (private_.test(name))
      err(
        `${name} is not in the page, which others will read; the setting 'auth' takes it from a secret variable.\n`,
      );
}
