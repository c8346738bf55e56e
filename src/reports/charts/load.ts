import { scaleLinear, scaleLog } from 'd3-scale';
import type { PhaseStatistics } from '../../core/record/load/load-statistics.ts';
import { rateText } from '../../core/record/number-texts.ts';
import type { RunStatistics } from '../../core/record/run-statistics.ts';
import { counted, grouped } from '../../core/text/words.ts';
import { hasPercentile } from '../percentiles.ts';
import { timeText } from '../time-text.ts';
import type { Drawing, Mark } from './drawing.ts';
import {
  endLabels,
  label,
  left,
  type Panel,
  type Point,
  ratesOf,
  right,
  rule,
  size,
  timeAxis,
  timeScale,
  valueAxis,
  valueScale,
  wholePanel,
} from './frame.ts';
import { areaOf, lineOf, pathThrough, stepsOf } from './steps.ts';
import { logTicks } from './times.ts';

/** Was as much done as was asked for? Users above, rounds that were due below; what never began or began late stands out. */
export function askedAndDone(statistics: RunStatistics): Drawing[] {
  const { load, timeline } = statistics;
  if (!load) return [];
  const hasUsers = load.phases.some(({ phase }) => phase.unit === 'users');
  const hasDue = load.phases.some(({ phase }) => phase.unit === 'rounds');
  const x = timeScale(timeline);
  const begun = ratesOf(timeline, ({ rounds }) => rounds?.begun ?? 0);
  const behind = ratesOf(timeline, ({ rounds }) => (rounds?.late ?? 0) + (rounds?.dropped ?? 0));
  const users = timeline.stretches.map((_, index) => timeline.usersIn(index));
  const asked = (unit: 'users' | 'rounds') =>
    load.phases
      .filter(({ phase }) => phase.unit === unit)
      .map(({ phase, begin }): readonly [Point, Point] => [
        [begin, phase.from],
        [begin + phase.lasting, phase.to],
      ]);
  const upper: Panel = { top: wholePanel.top, bottom: 118 };
  const lower: Panel = { top: 140, bottom: wholePanel.bottom };
  const most = (unit: 'users' | 'rounds') =>
    Math.max(
      0,
      ...load.phases
        .filter(({ phase }) => phase.unit === unit)
        .map(({ phase }) => Math.max(phase.from, phase.to)),
    );
  const yUsers = valueScale(Math.max(most('users'), ...users), upper);
  const yRounds = valueScale(Math.max(most('rounds'), ...begun), lower);
  const draw = (values: readonly number[], y: (value: number) => number) =>
    lineOf(
      stepsOf(timeline, (_, at) => ({ low: 0, high: values[at] })),
      x,
      y,
    );
  const drawAsked = (unit: 'users' | 'rounds', y: (value: number) => number): Mark[] =>
    asked(unit).map(points => ({ kind: 'line', ink: 'asked', d: pathThrough(points, x, y) }));
  const isBehind = behind.some(each => each > 0);
  return [
    {
      title: 'Was as much done as was asked for?',
      says: askedInWords(load.phases, Math.max(...users)),
      ...size,
      marks: [
        ...valueAxis(yUsers, value => (Number.isInteger(value) ? grouped(value) : ''), 2),
        ...valueAxis(yRounds, rateText, 2),
        ...(isBehind
          ? [
              {
                kind: 'area',
                ink: 'failed',
                d: areaOf(
                  stepsOf(timeline, (_, at) => ({ low: 0, high: behind[at] })),
                  x,
                  yRounds,
                ),
              } satisfies Mark,
            ]
          : []),
        { kind: 'line', ink: 'users', d: draw(users, yUsers) },
        { kind: 'line', ink: 'requests', d: draw(begun, yRounds) },
        // Above the others, since where both are the same it is what was asked for that is to be seen.
        ...drawAsked('users', yUsers),
        ...drawAsked('rounds', yRounds),
        ...timeAxis(x, wholePanel, timeline),
        ...endLabels([
          { text: 'users at work', y: yUsers(users.at(-1)!), ink: 'users' },
          ...(hasUsers ? [{ text: 'asked for', y: upper.top + 12, ink: 'asked' as const }] : []),
          { text: 'rounds/s begun', y: yRounds(begun.at(-1)!), ink: 'requests' },
          ...(hasDue ? [{ text: 'due', y: lower.top + 12, ink: 'asked' as const }] : []),
          ...(isBehind ? [{ text: 'late, or never', y: lower.bottom - 34, ink: 'failed' as const }] : []),
        ]),
      ],
    },
  ];
}

function askedInWords(phases: readonly PhaseStatistics[], mostUsers: number): string {
  const sum = (read: (rounds: PhaseStatistics['rounds']) => number) =>
    phases.reduce((total, { rounds }) => total + read(rounds), 0);
  const due = sum(rounds => rounds.due);
  const users = `At most ${counted(mostUsers, 'user')} ${mostUsers === 1 ? 'was' : 'were'} at work.`;
  if (due === 0) return `${users} A thin line is what was asked for.`;
  const late = sum(rounds => rounds.late);
  const dropped = sum(rounds => rounds.dropped);
  const [begun, behind] = [
    due - dropped,
    [late > 0 ? `${grouped(late)} of them late` : '', dropped > 0 ? `${grouped(dropped)} never did` : ''],
  ];
  return `${users} Of ${counted(due, 'round')} that ${due === 1 ? 'was' : 'were'} due ${grouped(begun)} began${behind
    .filter(Boolean)
    .map(each => `, ${each}`)
    .join('')}. A thin line is what was asked for.`;
}

/** Of a row, with what stands between it and the next one. */
const rowHeight = 30;
const top = 10;

/** How do phases differ? A row for each: where half, 95 and 99 of 100 answers lie. */
export function phasesBeside({ load }: RunStatistics): Drawing[] {
  const phases = load?.phases.filter(({ figures }) => hasPercentile(figures.times.count, 95)) ?? [];
  if (phases.length < 2) return [];
  const timeOf = ({ figures }: PhaseStatistics, percent: number) =>
    Math.max(0.01, figures.times.percentile(percent)!);
  const last = (each: PhaseStatistics) => (hasPercentile(each.figures.times.count, 99) ? 99 : 95);
  const shortest = Math.min(...phases.map(each => timeOf(each, 50)));
  const longest = Math.max(...phases.map(each => timeOf(each, last(each))));
  const isLog = longest / shortest > 20;
  const x = isLog
    ? scaleLog([shortest, longest], [left, right]).nice()
    : scaleLinear([0, longest], [left, right]).nice();
  const bottom = top + phases.length * rowHeight;
  const rows = phases.flatMap((each, index): Mark[] => {
    const y = top + (index + 0.5) * rowHeight;
    const [half, most, end] = [x(timeOf(each, 50)), x(timeOf(each, 95)), x(timeOf(each, last(each)))];
    const { number, label: name } = each.phase;
    return [
      rule('grid', [left, y], [right, y]),
      rule('upper', [half, y], [end, y]),
      { kind: 'area', ink: 'band', d: `M${half},${y - 6}H${most}V${y + 6}H${half}Z` },
      rule('median', [half, y - 9], [half, y + 9]),
      label([left - 8, y + 4], name === undefined ? `phase ${number}` : cutTo(name), 'end'),
      label([right + 8, y + 4], `${timeText(timeOf(each, 50))}, ${timeText(timeOf(each, 95))}`, 'start'),
    ];
  });
  const slowest = phases.reduce((worst, each) => (timeOf(each, 95) > timeOf(worst, 95) ? each : worst));
  const fastest = phases.reduce((best, each) => (timeOf(each, 95) < timeOf(best, 95) ? each : best));
  return [
    {
      title: 'How do the phases differ?',
      says: `A bar goes from half of the answers to 95 of 100, its line to ${last(slowest)} of 100; both times stand beside it. In ${nameOf(slowest)} 95 of 100 came within ${timeText(timeOf(slowest, 95))}, in ${nameOf(fastest)} within ${timeText(timeOf(fastest, 95))}.`,
      width: size.width,
      height: bottom + 30,
      marks: [
        ...rows,
        rule('axis', [left, bottom], [right, bottom]),
        ...logTicks(x).flatMap(tick => [
          rule('axis', [x(tick), bottom], [x(tick), bottom + 4]),
          label([x(tick), bottom + 18], timeText(tick), 'middle'),
        ]),
      ],
    },
  ];
}

function nameOf({ phase: { number, label: name } }: PhaseStatistics): string {
  return name === undefined ? `phase ${number}` : `“${name}”`;
}

/** As much as has room at the left. */
function cutTo(name: string): string {
  return name.length > 9 ? `${name.slice(0, 8)}…` : name;
}
