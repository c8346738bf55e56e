import { percentText } from '../core/record/number-texts.ts';
import type { RequestStatistics } from '../core/record/request-statistics.ts';
import type { RunStatistics } from '../core/record/run-statistics.ts';
import { counted, grouped } from '../core/text/words.ts';
import { percentileText } from './percentiles.ts';
import { fit, type Measure, type Paint, visible } from './style.ts';
import { timeText } from './time-text.ts';

/** So many requests have a line of their own; a report tells all of them. */
const mostLines = 30;

interface Column {
  readonly name: string;
  readonly width: number;
  readonly read: (figures: RequestStatistics) => string;
}

const time = (milliseconds: number | undefined) => (milliseconds === undefined ? '' : timeText(milliseconds));

/** The most important first: a narrow terminal drops the last ones. */
const columns: readonly Column[] = [
  { name: 'sent', width: 7, read: ({ requests }) => grouped(requests) },
  {
    name: 'failed',
    width: 8,
    read: ({ failed, errorRate }) => (failed === 0 ? '0' : percentText(errorRate!)),
  },
  { name: '50 %', width: 9, read: ({ times }) => percentileText(times, 50) },
  { name: '95 %', width: 9, read: ({ times }) => percentileText(times, 95) },
  { name: '99 %', width: 9, read: ({ times }) => percentileText(times, 99) },
  { name: '90 %', width: 9, read: ({ times }) => percentileText(times, 90) },
  { name: 'longest', width: 9, read: ({ times }) => time(times.max) },
];
/** From left to right. */
const order = ['sent', 'failed', '50 %', '90 %', '95 %', '99 %', 'longest'];

/** How each request was answered, a line each, and all of them together. */
export function figuresLines(
  { requests, total }: RunStatistics,
  { paint, measure, width }: { readonly paint: Paint; readonly measure: Measure; readonly width: number },
): string[] {
  if (total.times.count === 0) return [];
  const shown = columns.filter(
    (_, index) => columns.slice(0, index + 1).reduce((sum, each) => sum + each.width, 0) <= width - 24,
  );
  const told = shown.toSorted((a, b) => order.indexOf(a.name) - order.indexOf(b.name));
  const room = width - told.reduce((sum, each) => sum + each.width, 0);
  const line = (name: string, figures: RequestStatistics) =>
    fit(visible(name), room, measure) + told.map(({ width, read }) => read(figures).padStart(width)).join('');
  const slowest = requests.toSorted(
    (a, b) => (b.figures.times.percentile(95) ?? 0) - (a.figures.times.percentile(95) ?? 0),
  );
  const few = requests.length <= mostLines ? requests : slowest.slice(0, mostLines);
  const more = requests.length - few.length;
  return [
    paint('quiet', ' '.repeat(room) + told.map(({ name, width }) => name.padStart(width)).join('')),
    ...few.map(({ title, request, figures }) => {
      const text = line(`${title}  ${request}`, figures);
      return figures.failed > 0 ? paint('failed', text) : text;
    }),
    ...(more > 0 ? [paint('quiet', `… ${counted(more, 'request')} that answered faster`)] : []),
    paint('strong', line('in total', total)),
  ];
}
