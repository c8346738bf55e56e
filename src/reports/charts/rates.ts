import { percentText, rateText } from '../../core/record/number-texts.ts';
import type { RunStatistics } from '../../core/record/run-statistics.ts';
import { counted, grouped } from '../../core/text/words.ts';
import { durationText } from '../../core/values/text.ts';
import type { Drawing, Mark } from './drawing.ts';
import {
  endLabels,
  type Panel,
  ratesOf,
  size,
  timeAxis,
  timeScale,
  valueAxis,
  valueScale,
  wholePanel,
} from './frame.ts';
import { areaOf, lineOf, stepsOf } from './steps.ts';

/** Did requests fail, and when? */
export function outcomesOverTime({ total, timeline }: RunStatistics): Drawing {
  const { stretches, step } = timeline;
  const all = ratesOf(timeline, each => each.requests);
  const bad = ratesOf(timeline, each => each.failed);
  const x = timeScale(timeline);
  const y = valueScale(Math.max(...all), wholePanel);
  const held = stepsOf(timeline, (_, index) => ({ low: bad[index]!, high: all[index] }));
  const failed = stepsOf(timeline, (_, index) => ({ low: 0, high: bad[index] }));
  const worst = stretches.reduce(
    (most, { failed }, index) => (failed > stretches[most]!.failed ? index : most),
    0,
  );
  const fails = total.failed > 0;
  return {
    title: 'Did requests fail, and when?',
    says: fails
      ? `${grouped(total.failed)} of ${counted(total.requests, 'request')} failed (${percentText(total.errorRate!)}), most of them at ${durationText(worst * step)}. In requests a second.`
      : `All ${grouped(total.requests)} requests were answered as expected. In requests a second.`,
    ...size,
    marks: [
      ...valueAxis(y, rateText),
      { kind: 'area', ink: 'held', d: areaOf(held, x, y) },
      ...(fails ? [{ kind: 'area', ink: 'failed', d: areaOf(failed, x, y) } satisfies Mark] : []),
      ...timeAxis(x, wholePanel, timeline),
      ...endLabels([
        { text: 'as expected', y: y((all.at(-1)! + bad.at(-1)!) / 2), ink: 'held' },
        ...(fails ? [{ text: 'failed', y: y(bad.at(-1)! / 2), ink: 'failed' as const }] : []),
      ]),
    ],
  };
}

/** How much was asked of the service, and by how many at once? */
export function load({ total, timeline }: RunStatistics): Drawing {
  const upper: Panel = { top: wholePanel.top, bottom: 140 };
  const lower: Panel = { top: 160, bottom: wholePanel.bottom };
  const rates = ratesOf(timeline, each => each.requests);
  const users = timeline.stretches.map((_, index) => timeline.usersIn(index));
  const x = timeScale(timeline);
  const yRate = valueScale(Math.max(...rates), upper);
  const yUsers = valueScale(Math.max(...users), lower);
  const mean = total.requests / (timeline.length / 1000);
  const byUsers =
    Math.max(...users) === 1 ? 'One user' : `${grouped(Math.max(...users))} users at the same time`;
  return {
    title: 'How much was asked, by how many?',
    says: `${byUsers} sent ${rateText(mean)} requests a second on average, ${rateText(Math.max(...rates))} at the most.`,
    ...size,
    marks: [
      ...valueAxis(yRate, rateText, 3),
      {
        kind: 'line',
        ink: 'requests',
        d: lineOf(
          stepsOf(timeline, (_, at) => ({ low: 0, high: rates[at] })),
          x,
          yRate,
        ),
      },
      ...valueAxis(yUsers, value => (Number.isInteger(value) ? String(value) : ''), 2),
      {
        kind: 'line',
        ink: 'users',
        d: lineOf(
          stepsOf(timeline, (_, at) => ({ low: 0, high: users[at] })),
          x,
          yUsers,
        ),
      },
      ...timeAxis(x, wholePanel, timeline),
      ...endLabels([
        { text: 'requests a second', y: yRate(rates.at(-1)!), ink: 'requests' },
        { text: 'users', y: yUsers(users.at(-1)!), ink: 'users' },
      ]),
    ],
  };
}
