import { rateText } from '../../core/record/number-texts.ts';
import type { RunStatistics } from '../../core/record/run-statistics.ts';
import { counted, grouped } from '../../core/text/words.ts';
import type { Drawing, Mark } from './drawing.ts';
import { label, left, ratesOf, right, rule, size, timeAxis, timeScale, valueScale } from './frame.ts';
import { areaOf, stepsOf } from './steps.ts';

/** So many answers have a row of their own; the rest share one. */
const mostRows = 6;
/** Of a row, with what stands between it and the next one. */
const rowHeight = 34;
const top = 14;

/**
 * What did the service answer, and when? A row for each kind of answer, the most frequent first. Each row has a scale of
 * its own, since one failure among a thousand successes is what one looks for; its highest rate stands beside it.
 */
export function answersOverTime({ total, timeline }: RunStatistics): Drawing {
  const sums = new Map<string, number>();
  for (const { answers } of timeline.stretches)
    for (const [answer, count] of answers) sums.set(answer, (sums.get(answer) ?? 0) + count);
  const ranked = [...sums].sort(([, a], [, b]) => b - a).map(([answer]) => answer);
  const own = ranked.length > mostRows ? ranked.slice(0, mostRows - 1) : ranked;
  const others = ranked.slice(own.length);
  const groups = [...own.map(answer => [answer]), ...(others.length > 0 ? [others] : [])];
  const bottom = top + groups.length * rowHeight;
  const x = timeScale(timeline);
  const rows = groups.flatMap((answers, index): Mark[] => {
    const base = top + (index + 1) * rowHeight;
    const rates = ratesOf(timeline, each => sumOf(answers, each.answers));
    const most = Math.max(...rates);
    const y = valueScale(most, { top: base - rowHeight + 10, bottom: base });
    return [
      {
        kind: 'area',
        ink: 'held',
        d: areaOf(
          stepsOf(timeline, (_, at) => ({ low: 0, high: rates[at] })),
          x,
          y,
        ),
      },
      rule('grid', [left, base], [right, base]),
      label([left - 8, base - 6], answers === others ? 'others' : answers[0]!, 'end', 'held'),
      label([right + 8, base - 6], `${grouped(sumOf(answers, sums))}, at most ${rateText(most)}/s`, 'start'),
    ];
  });
  const told = ranked.slice(0, 8).map(answer => `${answer}: ${grouped(sums.get(answer)!)}`);
  return {
    title: 'What was answered, and when?',
    says: `Of ${counted(total.requests, 'request')}, ${told.join(', ')}${ranked.length > 8 ? ' and others' : ''}. Each row is as high as its own highest rate.`,
    width: size.width,
    height: bottom + 30,
    marks: [...rows, ...timeAxis(x, { top, bottom }, timeline)],
  };
}

function sumOf(answers: readonly string[], counts: ReadonlyMap<string, number>): number {
  return answers.reduce((sum, answer) => sum + (counts.get(answer) ?? 0), 0);
}
