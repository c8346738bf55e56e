import { type Lines, Source } from '../model/source.ts';
import type { Page, PageCase } from '../pages/page.ts';
import { inside, lineEndOf, linesWithEnds, withLines } from '../pages/page-lines.ts';
import { readPage } from '../pages/read-page.ts';
import { signature } from '../pages/signature.ts';
import { fence } from '../steps/http/write-request.ts';
import type { WrittenStep } from '../steps/step.ts';

/** An example that is to stand in a page. */
export interface ExampleEdit {
  /** The line of its request, from 1. */
  readonly line: number;
  /** The fences that it takes the place of; else it comes to stand behind the request, or behind its last example. */
  readonly replaces?: Lines;
  /** What stands in its fence. */
  readonly text: string;
}

/**
 * A page with an example in it, line ends and all else as they were. What a server has answered must never become a step:
 * the page is read again, and must hold the same cases and steps and exactly this example more.
 * @returns nothing where it does not
 */
export function putExample(file: string, text: string, edit: ExampleEdit): string | undefined {
  const before = readPage(new Source(file, text));
  const step = stepAt(before, edit.line);
  if (!step?.extent) return undefined;
  const written = withFence(text, edit, step);
  const after = readPage(new Source(file, written));
  const index = step.examples?.findIndex(each => each.lines.from === edit.replaces?.from) ?? -1;
  const examples = (step.examples ?? []).map(signature);
  const [at, gone] = index < 0 ? [examples.length, 0] : [index, 1];
  examples.splice(at, gone, alone(edit.text));
  const isMeant =
    signature(before) === signature(after) &&
    signature(examplesOf(before, step, examples)) === signature(examplesOf(after));
  return isMeant ? written : undefined;
}

function stepAt(page: Page, line: number): WrittenStep | undefined {
  return page.cases
    .flatMap(({ steps }) => steps)
    .find(({ range }) => page.source.position(range.start).line === line);
}

/** The text with the fence in it, as deep in lists and quotes as that of its request. */
function withFence(text: string, { replaces, text: content }: ExampleEdit, step: WrittenStep): string {
  const lines = linesWithEnds(text);
  const end = lineEndOf(text);
  const prefix = inside(lines[step.extent!.from - 1] ?? '');
  const added = fence('http', content)
    .split('\n')
    .map(line => `${prefix}${line}`.trimEnd() + end);
  const at = replaces ?? { from: lastLine(step), to: lastLine(step) };
  const gap = replaces ? [] : [prefix.trimEnd() + end];
  lines.splice(at.from - 1, at.to - at.from);
  return withLines(lines, at.from, [...gap, ...added], end);
}

/** The line behind all that belongs to a request. */
function lastLine({ extent, examples = [] }: WrittenStep): number {
  return examples.at(-1)?.lines.to ?? extent!.to;
}

/** An example of a page that holds nothing else. */
function alone(text: string): string {
  const page = readPage(new Source('', `\`\`\`http\nGET /\n\`\`\`\n\n${fence('http', text)}\n`));
  return signature(page.cases[0]?.steps[0]?.examples?.[0]);
}

/** Of every request its examples; those of one as they are to be. */
function examplesOf({ cases }: Page, of?: WrittenStep, examples?: readonly string[]): string[][] {
  return cases.flatMap(({ steps }: Pick<PageCase, 'steps'>) =>
    steps.map(step => (step === of ? [...examples!] : (step.examples ?? []).map(signature))),
  );
}
