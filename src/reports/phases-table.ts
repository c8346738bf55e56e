import type { PhaseStatistics } from '../core/record/load/load-statistics.ts';
import { percentText, rateText } from '../core/record/number-texts.ts';
import { grouped } from '../core/text/words.ts';
import { phaseTitle, roundsInWords } from './load-log.ts';
import { percentileText, toldPercents } from './percentiles.ts';
import { timeText } from './time-text.ts';

/** Of each phase of a load: what it is called, and what it came to. */
export function phaseRows(phases: readonly PhaseStatistics[]): readonly (readonly string[])[] {
  return phases.map(phase => [phaseTitle(phase.phase), ...columns.map(([, read]) => read(phase))]);
}

const columns: readonly (readonly [name: string, read: (phase: PhaseStatistics) => string])[] = [
  ['users', ({ mostUsers }) => grouped(mostUsers)],
  ['rounds', roundsInWords],
  ['late', ({ phase, rounds }) => (phase.unit === 'users' ? '' : grouped(rounds.late))],
  [
    'requests a second',
    ({ figures, phase }) => rateText(figures.requests / Math.max(0.001, phase.lasting / 1000)),
  ],
  ['failed', ({ figures }) => (figures.failed === 0 ? '0' : percentText(figures.errorRate!))],
  ...toldPercents.map(
    percent =>
      [`${percent} %`, ({ figures }: PhaseStatistics) => percentileText(figures.times, percent)] as const,
  ),
  ['longest', ({ figures }) => (figures.times.max === undefined ? '' : timeText(figures.times.max))],
  ['95 % from sending', ({ figures }) => percentileText(figures.sent ?? figures.times, 95)],
];

export const phaseColumns: readonly string[] = ['phase', ...columns.map(([name]) => name)];
