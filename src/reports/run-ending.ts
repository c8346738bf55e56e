import type { EventOf } from '../core/model/events.ts';
import type { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted } from '../core/text/words.ts';
import { figuresLines } from './figures-text.ts';
import { heldInWords, outdatedInWords } from './held.ts';
import { visible, wrap } from './style.ts';
import type { TerminalOptions } from './terminal-options.ts';
import { broughtInWords, figuresInWords, nextInWords, verdictAndNotes } from './verdict.ts';

export interface Ending {
  readonly totals: RunTotals;
  /** Where the same is done over and over. */
  readonly statistics: RunStatistics | undefined;
  /** So many cases that did not pass have not been told. */
  readonly untold: number;
  /** The address of the case that failed first. */
  readonly firstFailed: string | undefined;
  readonly brought: NonNullable<EventOf<'run'>['brought']>;
}

type View = Pick<TerminalOptions, 'paint' | 'measure' | 'quiet' | 'again'> & { readonly width: number };

/** How the view of a run ends: figures request by request where there are many, bounds that are not kept, the verdict. */
export function endingLines(
  { totals, statistics, untold, firstFailed, brought }: Ending,
  view: View,
): string[] {
  const { paint, width, measure, quiet, again } = view;
  const { verdict: said, notes: beside } = verdictAndNotes(totals);
  const verdict = wrap(said, width, measure);
  const notes = wrap(beside.join(' '), width, measure).filter(line => line !== '');
  if (quiet) return [...verdict, ...notes];
  const next = again && nextInWords(firstFailed, totals, again);
  const along = broughtInWords(brought);
  const outdated = outdatedInWords(totals);
  const more =
    untold === 0
      ? []
      : [
          `${counted(untold, 'more case')} did not pass; ${totals.load ? 'a report tells some of each' : 'a report tells all of them: -o run.csv'}`,
        ];
  return [
    ...apart(more),
    ...apart(statistics ? figuresLines(statistics, view) : []),
    ...apart(totals.exceeded.flatMap(each => boundLines(each, view))),
    ...verdict.map(line => paint(totals.passed ? 'strong' : 'failed', line)),
    ...notes,
    ...(along === undefined ? [] : wrap(`Brought along: ${visible(along)}.`, width, measure)),
    ...heldInWords(totals).flatMap(line => wrap(visible(line), width, measure)),
    ...(outdated === undefined ? [] : wrap(visible(outdated), width, measure)),
    ...wrap(figuresInWords(totals), width, measure),
    ...(next === undefined ? [] : [paint('quiet', visible(next))]),
  ];
}

/** With an empty line behind them. */
function apart(lines: readonly string[]): readonly string[] {
  return lines.length === 0 ? [] : [...lines, ''];
}

function boundLines(
  { text, place, found }: NonNullable<EventOf<'end'>['bounds']>[number],
  { paint, width, measure }: View,
): string[] {
  const where = `${place.file}:${place.line}`;
  const gap = Math.max(2, width - 9 - measure(text) - where.length);
  return [
    `${paint('failed', 'not kept')} ${text}${' '.repeat(gap)}${paint('quiet', where)}`,
    `${' '.repeat(11)}${paint('quiet', 'found')}      ${paint('failed', found)}`,
  ];
}
