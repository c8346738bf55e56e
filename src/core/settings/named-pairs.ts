import type { Node } from 'yaml';
import { isName } from '../language/reference.ts';
import type { Range } from '../model/source.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import type { SettingReader } from './setting.ts';

/** The members of an object by their names, as references write them. Others are told. @param what they are: `variable` */
export function* namedPairs(
  node: Node | undefined,
  reader: SettingReader,
  what: string,
): Generator<{ readonly name: string; readonly value: Node | null; readonly range: Range }> {
  for (const { key, value } of reader.pairs(node)) {
    const name = reader.keyText(key);
    const range = rangeOf(key, reader.excerpt);
    if (isName(name)) yield { name, value, range };
    else
      reader.add(
        'setting-form',
        range,
        `'${name}' cannot name a ${what}.`,
        "Names have letters, digits, '-' and '_', a letter first.",
      );
  }
}
