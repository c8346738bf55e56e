import { UsageError } from '../core/model/usage-error.ts';
import { writeWhole } from '../platform/recorder.ts';
import { exitCodes } from './exit.ts';
import type { Terminal } from './terminal.ts';

/** A file that something is written into, in the form that its ending says. */
export interface FileOfForm<Form extends string> {
  readonly path: string;
  readonly form: Form;
}

/**
 * Nothing where no file is named.
 * @param refusal what is said, before the name, where the ending is none of the forms. Throws UsageError
 */
export function readFileOfForm<Form extends string>(
  path: string | undefined,
  forms: readonly Form[],
  refusal: string,
): FileOfForm<Form> | undefined {
  if (path === undefined) return undefined;
  const form = forms.find(each => path.toLowerCase().endsWith(`.${each}`));
  if (form === undefined) throw new UsageError(`${refusal}, not '${path}'.`);
  return { path, form };
}

/**
 * For what is found out of records: to read, for a review, for programs. Nothing where no file is named. Throws UsageError.
 * @param what is written, as the subject of a sentence
 */
export function readFindingsFile(
  path: string | undefined,
  what: string,
): FileOfForm<'html' | 'md' | 'json' | 'txt'> | undefined {
  return readFileOfForm(
    path,
    ['html', 'md', 'json', 'txt'],
    `${what} is written as .html (to read), .md (for a review), .json (for programs) or .txt`,
  );
}

/** What cannot be written is told, and is an exit code. */
export async function writeFileOfForm(
  path: string,
  text: string,
  { out, err }: Pick<Terminal, 'out' | 'err'>,
): Promise<void> {
  try {
    await writeWhole(path, [text]);
    out(`written  ${path}\n`);
  } catch (error) {
    err(`'${path}' could not be written: ${(error as Error).message}\n`);
    process.exitCode = exitCodes.unfinished;
  }
}

/** `80 %`, `80%`, `80` or `0.8` as a part of one. Throws UsageError. */
export function readShare(text: string): number {
  const [, digits, percent] = /^(\d+(?:\.\d+)?)\s*(%?)$/.exec(text.trim()) ?? [];
  const number = Number(digits);
  const share = percent === '' && number <= 1 ? number : number / 100;
  if (digits === undefined || share > 1)
    throw new UsageError(`'${text}' is no share. For example: --at-least '80 %'`);
  return share;
}
