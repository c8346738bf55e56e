import type { CaseEvent, EventOf, RunEvent } from '../core/model/events.ts';
import { ByUser } from '../core/record/by-user.ts';
import { CaseGrouping, type EndedCase } from '../core/record/case-grouping.ts';

export type ReportedCase = Omit<EndedCase, 'page'>;

/** A page as it ran in one round. */
export interface ReportedPage {
  readonly page: EventOf<'page'>;
  readonly cases: readonly ReportedCase[];
}

type Frame = { readonly run: EventOf<'run'> } | { readonly end: EventOf<'end'> };
export type Part = Frame | ReportedPage;
export type CasePart = Frame | EndedCase;

/** The same events, of which somebody else learns too. */
export async function* heardBy(
  onEvent: (event: RunEvent) => void,
  events: AsyncIterable<RunEvent>,
): AsyncGenerator<RunEvent> {
  for await (const event of events) {
    onEvent(event);
    yield event;
  }
}

/** Gathers the events of a record case by case, each as soon as it has ended. */
export async function* casesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<CasePart> {
  const grouping = new CaseGrouping();
  for await (const event of events) {
    if (event.type === 'run') yield { run: event };
    else if (event.type === 'end') yield { end: event };
    else {
      const ended = grouping.add(event);
      if (ended) yield ended;
    }
  }
}

/** Gathers the events of a record page by page, so that a report never holds more than one page of each user. */
export async function* pagesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<Part> {
  const open = new ByUser<{ now: { page: EventOf<'page'>; cases: ReportedCase[] } | undefined }>(() => ({
    now: undefined,
  }));
  for await (const part of casesOf(events)) {
    if ('run' in part) yield part;
    else if ('end' in part) {
      for (const { now } of open.all) if (now) yield now;
      yield part;
    } else {
      const { page, ...reported } = part;
      const known = open.of(page);
      if (known.now?.page === page) known.now.cases.push(reported);
      else {
        if (known.now) yield known.now;
        known.now = { page, cases: [reported] };
      }
    }
  }
}

/** A page as a report calls it, where it may come several times. */
export function pageTitleOf({ title, round, user, rows = [] }: EventOf<'page'>, several: boolean): string {
  const about = [
    ...(user === undefined ? [] : [`user ${user}`]),
    ...(several ? [`round ${round}`] : []),
    ...rows.map(({ number }) => `row ${number}`),
  ];
  return [title, ...about].join(', ');
}

/** A case as a report calls it; one that runs for each row, with its row. */
export function titleOf({ title, row }: Pick<CaseEvent, 'title' | 'row'>): string {
  return row ? `${title}, row ${row.number}` : title;
}

/** Why a case was skipped, as a sentence without its full stop. */
export function whySkipped({ because, blocked }: CaseEvent): string | undefined {
  if (because !== undefined) return because;
  return blocked && blockedInWords(blocked, blocked.by);
}

/** Why a case did not run, as a sentence without its full stop. */
export function blockedInWords({ name }: NonNullable<CaseEvent['blocked']>, by: string): string {
  return name === undefined ? `${by} did not pass` : `'${name}' did not come from ${by}`;
}
