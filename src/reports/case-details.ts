import type { CaseValue, CheckEvent } from '../core/model/events.ts';
import { fit, type Measure, type Paint, visible } from './style.ts';

interface View {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

/** What else is known of a case: the checks that hold with what they found, and the values that it had. */
export function detailLines(
  checks: readonly CheckEvent[],
  values: readonly CaseValue[],
  view: View,
): string[] {
  return [
    ...columns(
      checks.map(({ label, text, found = '' }) => [
        'holds',
        label === undefined ? text : `${label}: ${text}`,
        found,
      ]),
      view,
    ),
    ...(checks.length > 0 && values.length > 0 ? [''] : []),
    ...columns(
      values.map(({ how, name, value, origin }) => [how, `${name} = ${value}`, how === 'used' ? origin : '']),
      view,
    ),
  ];
}

/** A word, what it is about, and what there is to say of that where there is room for it. */
function columns(
  rows: readonly (readonly [word: string, what: string, more: string])[],
  { paint, measure, width }: View,
): string[] {
  const room = width - 13;
  const widest = Math.max(0, ...rows.map(([, what]) => measure(visible(what))));
  const middle = Math.min(widest, Math.floor(room * 0.65));
  return rows.map(([word, what, more]) => {
    const shown = visible(what).replace(/\s+/g, ' ');
    const lead = paint('quiet', word.padEnd(9));
    if (more === '') return `${lead} ${fit(shown, room, measure).trimEnd()}`;
    return `${lead} ${fit(shown, middle, measure)}  ${paint('quiet', fit(visible(more), room - middle - 2, measure).trimEnd())}`;
  });
}
