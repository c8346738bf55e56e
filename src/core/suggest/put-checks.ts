import { Source } from '../model/source.ts';
import type { Page, PageCase } from '../pages/page.ts';
import { inside, lineEndOf, linesWithEnds, withLines } from '../pages/page-lines.ts';
import { readPage } from '../pages/read-page.ts';
import { signature } from '../pages/signature.ts';
import { fence } from '../steps/http/write-request.ts';
import type { WrittenStep } from '../steps/step.ts';

/** Checks that are to stand below a request. */
export interface CheckEdit {
  /** The line of the request, from 1. */
  readonly line: number;
  /** A line each, comments included. */
  readonly checks: readonly string[];
}

/**
 * A page with checks in it, behind those that a request has; line ends and all else as they were. What a server has answered
 * must never become anything else: the page is read again, and must hold the same cases and steps and exactly these checks more.
 * @returns nothing where it does not
 */
export function putChecks(file: string, text: string, { line, checks }: CheckEdit): string | undefined {
  const before = readPage(new Source(file, text));
  const found = stepAt(before, line);
  if (!found?.step.extent) return undefined;
  const { own, at, below } = found;
  const added = alone(checks);
  if (added.length === 0 || added.some(({ type }) => type !== 'check')) return undefined;
  const written = withChecks(text, found, checks);
  const after = readPage(new Source(file, written));
  const steps = [...own.steps];
  steps.splice(at + 1 + below.length, 0, ...added);
  const cases = before.cases.map(each => (each === own ? { ...own, steps } : each));
  return signature({ ...before, cases }) === signature(after) ? written : undefined;
}

interface FoundStep {
  readonly page: Page;
  readonly own: PageCase;
  readonly step: WrittenStep;
  readonly at: number;
  /** The statements that look at what comes of it. */
  readonly below: readonly WrittenStep[];
}

function stepAt(page: Page, line: number): FoundStep | undefined {
  for (const own of page.cases)
    for (const [at, step] of own.steps.entries()) {
      if (page.source.position(step.range.start).line !== line) continue;
      const rest = own.steps.slice(at + 1);
      const next = rest.findIndex(({ extent }) => extent !== undefined);
      return { page, own, step, at, below: rest.slice(0, next < 0 ? undefined : next) };
    }
  return undefined;
}

function withChecks(text: string, { page, own, step, below }: FoundStep, checks: readonly string[]): string {
  const lines = linesWithEnds(text);
  const end = lineEndOf(text);
  const last = below.at(-1);
  const line = last && page.source.position(last.range.start).line;
  const fenceOf =
    line === undefined ? undefined : own.fences.find(({ from, to }) => from < line && line < to);
  if (fenceOf) {
    const prefix = inside(lines[fenceOf.from - 1]!);
    return withLines(
      lines,
      fenceOf.to - 1,
      checks.map(check => prefix + check + end),
      end,
    );
  }
  const prefix = inside(lines[step.extent!.from - 1] ?? '');
  const added = ['', ...fence('mervok', checks.join('\n')).split('\n')];
  const behind = step.examples?.at(-1)?.lines.to ?? step.extent!.to;
  return withLines(
    lines,
    behind,
    added.map(each => `${prefix}${each}`.trimEnd() + end),
    end,
  );
}

/** The statements of a page that holds nothing else. */
function alone(checks: readonly string[]): readonly WrittenStep[] {
  const page = readPage(
    new Source('', `\`\`\`http\nGET /\n\`\`\`\n\n${fence('mervok', checks.join('\n'))}\n`),
  );
  return page.cases[0]?.steps.slice(1) ?? [];
}
