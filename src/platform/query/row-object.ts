import type { Value } from '../../core/model/value.ts';

/** A row by the names of its columns, whatever they are. */
export function rowObject(columns: readonly string[], values: readonly Value[]): { [column: string]: Value } {
  const row: { [column: string]: Value } = {};
  for (let at = 0; at < columns.length; at++) {
    const name = columns[at]!;
    if (name === '__proto__')
      Object.defineProperty(row, name, {
        value: values[at]!,
        enumerable: true,
        writable: true,
        configurable: true,
      });
    else row[name] = values[at]!;
  }
  return row;
}
