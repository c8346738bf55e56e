import { area, line } from 'd3-shape';
import type { Stretch, Timeline } from '../../core/record/timeline.ts';
import { round } from './drawing.ts';

/** Values that hold for a stretch of time: a point at its beginning and one at its end; `high` is left out where there is none. */
export interface Point {
  readonly x: number;
  readonly low: number;
  readonly high: number | undefined;
}

type Scale = (value: number) => number;

export function stepsOf(
  { step, stretches }: Timeline,
  read: (stretch: Stretch, index: number) => { low: number; high: number | undefined },
): Point[] {
  return stretches.flatMap((stretch, index) => {
    const values = read(stretch, index);
    return [
      { x: index * step, ...values },
      { x: (index + 1) * step, ...values },
    ];
  });
}

/** Along the upper values. */
export function lineOf(points: readonly Point[], x: Scale, y: Scale): string {
  const draw = line<Point>(
    point => x(point.x),
    point => y(point.high!),
  )
    .defined(point => point.high !== undefined)
    .digits(1);
  return draw(points) ?? '';
}

/** Between the lower and the upper values. */
export function areaOf(points: readonly Point[], x: Scale, y: Scale): string {
  const draw = area<Point>(
    point => x(point.x),
    point => y(point.low),
    point => y(point.high!),
  )
    .defined(point => point.high !== undefined)
    .digits(1);
  return draw(points) ?? '';
}

/** Along points that each have a value of their own. */
export function pathThrough(
  points: readonly (readonly [x: number, y: number])[],
  x: Scale,
  y: Scale,
): string {
  return points
    .map(([at, value], index) => `${index === 0 ? 'M' : 'L'}${round(x(at))},${round(y(value))}`)
    .join('');
}
