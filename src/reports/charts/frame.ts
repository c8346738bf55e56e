import { type ScaleLinear, scaleLinear } from 'd3-scale';
import type { Stretch, Timeline } from '../../core/record/timeline.ts';
import type { Ink, Mark } from './drawing.ts';
import { round } from './drawing.ts';

export const size = { width: 960, height: 250 };
/** Labels of lines stand at the right. */
const margin = { top: 14, right: 150, bottom: 30, left: 64 };

export interface Panel {
  readonly top: number;
  readonly bottom: number;
}

export const wholePanel: Panel = { top: margin.top, bottom: size.height - margin.bottom };
export const left = margin.left;
export const right = size.width - margin.right;

/** From the start of the run to its end, in milliseconds. */
export function timeScale({ step, stretches }: Timeline): ScaleLinear<number, number> {
  return scaleLinear([0, Math.max(1, stretches.length) * step], [left, right]);
}

export function valueScale(most: number, { top, bottom }: Panel): ScaleLinear<number, number> {
  return scaleLinear([0, most > 0 ? most : 1], [bottom, top]).nice(4);
}

/** Time along the bottom, in one unit for all of its ticks; with load, where its phases begin. */
export function timeAxis(
  x: ScaleLinear<number, number>,
  { top, bottom }: Panel,
  { phases }: Pick<Timeline, 'phases'>,
): Mark[] {
  const [, end = 1] = x.domain();
  const [unit, name] = unitFor(end);
  const ticks = scaleLinear([0, end / unit], x.range()).ticks(8);
  return [
    ...phases.flatMap(({ at, name }, index) => {
      const room = x(Math.min(end, phases[index + 1]?.at ?? end)) - x(at);
      return [
        rule('phase', [x(at), top - 10], [x(at), bottom]),
        // As far as there is room for it.
        ...(room > 7 * name.length ? [label([x(at) + 4, top - 2], name, 'start', 'phase')] : []),
      ];
    }),
    rule('axis', [left, bottom], [right, bottom]),
    ...ticks.flatMap(tick => [
      rule('axis', [x(tick * unit), bottom], [x(tick * unit), bottom + 4]),
      label([x(tick * unit), bottom + 18], `${Number(tick.toFixed(3))} ${name}`, 'middle'),
    ]),
  ];
}

function unitFor(milliseconds: number): [number, string] {
  if (milliseconds < 1000) return [1, 'ms'];
  if (milliseconds < 180_000) return [1000, 's'];
  if (milliseconds < 3 * 3_600_000) return [60_000, 'min'];
  return [3_600_000, 'h'];
}

/** Values along the left, with a thin line across for each. */
export function valueAxis(
  y: ScaleLinear<number, number>,
  textOf: (value: number) => string,
  count = 4,
): Mark[] {
  return y
    .ticks(count)
    .flatMap(tick => [
      rule('grid', [left, y(tick)], [right, y(tick)]),
      label([left - 8, y(tick) + 4], textOf(tick), 'end'),
    ]);
}

/** A place in the frame: from its left, from its top. */
export type Point = readonly [x: number, y: number];

export function label(
  [x, y]: Point,
  text: string,
  anchor: 'start' | 'middle' | 'end',
  ink: Ink = 'label',
): Mark {
  return { kind: 'text', x: round(x), y: round(y), text, anchor, ink };
}

export function rule(ink: Ink, from: Point, to: Point): Mark {
  const [[x1, y1], [x2, y2]] = [from, to];
  return { kind: 'line', ink, d: `M${round(x1)},${round(y1)}L${round(x2)},${round(y2)}` };
}

/** Names at the ends of lines, moved apart so that none covers another. */
export function endLabels(
  names: readonly { readonly text: string; readonly y: number; readonly ink: Ink }[],
): Mark[] {
  const apart = 15;
  const placed = [...names].sort((a, b) => a.y - b.y).map(each => ({ ...each }));
  for (const [index, each] of placed.entries()) {
    const above = placed[index - 1];
    if (above && each.y < above.y + apart) each.y = above.y + apart;
  }
  for (const [index, each] of [...placed.entries()].reverse()) {
    const below = placed[index + 1];
    const limit = below ? below.y - apart : size.height - margin.bottom;
    if (each.y > limit) each.y = limit;
  }
  return placed.map(({ text, y, ink }) => label([right + 8, y + 4], text, 'start', ink));
}

/** Of each stretch, how many of something a second. */
export function ratesOf(timeline: Timeline, count: (stretch: Stretch) => number): number[] {
  return timeline.stretches.map((stretch, index) => (count(stretch) * 1000) / timeline.lengthOf(index));
}
