import { fit, type Measure, type Paint, visible } from './style.ts';

/** A name with its value, where that comes from, and what it hides. */
export interface NamedValue {
  readonly name: string;
  readonly value: string;
  readonly from: string;
  readonly hides: readonly string[];
}

/** The lines of each row, in columns; where those do not fit, the origins stand on lines of their own. */
export function namedLines(
  rows: readonly NamedValue[],
  { paint, measure, width }: { paint: Paint; measure: Measure; width: number },
): string[][] {
  const widest = (of: (row: NamedValue) => string) => Math.max(0, ...rows.map(row => measure(of(row))));
  const room = Math.min(200, Math.max(60, width));
  const nameColumn = widest(row => row.name) + 2;
  const value = (row: NamedValue) => visible(row.value).replaceAll('\n', ' ');
  const beside = nameColumn + Math.min(widest(value), 60) + 2 + widest(row => row.from) <= room;
  const valueColumn = beside ? Math.min(widest(value), 60) + 2 : room - nameColumn;
  const indent = ' '.repeat(beside ? nameColumn + valueColumn : nameColumn);
  return rows.map(row => {
    const { name, from, hides } = row;
    const lead = paint('quiet', name.padEnd(nameColumn)) + fit(value(row), valueColumn, measure);
    const below = hides.map(each => indent + paint('quiet', `hides ${each}`));
    return beside
      ? [lead + paint('quiet', from), ...below]
      : [lead.trimEnd(), indent + paint('quiet', from), ...below];
  });
}
