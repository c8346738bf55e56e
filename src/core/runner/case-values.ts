import { type Entry, isMadeOfSecret } from '../language/evaluation-context.ts';
import type { CaseValue } from '../model/events.ts';
import { isObject, Plain, type Value } from '../model/value.ts';
import type { Masker } from '../secrecy/masker.ts';
import { cut, describe } from '../values/describe.ts';
import { writeJson } from '../values/json-document.ts';

/** So much of a value is told, and so long a document is looked at for it, in characters. */
const [longest, largest] = [200, 20_000];

/** A value that a case has made or used, as the record tells it. */
export function caseValue(name: string, how: CaseValue['how'], entry: Entry, masker: Masker): CaseValue {
  const { value, origin } = entry;
  return { name, how, value: isMadeOfSecret(entry) ? '[secret]' : shown(value, masker), origin };
}

/** What is told is masked as a whole. Before it is cut, too: a part of a secret would not be known for one. */
function cutTo(text: string, masker: Masker): string {
  return text.length <= longest ? text : cut(masker.text(text), longest);
}

function shown(value: Value, masker: Masker): string {
  if (value instanceof Plain) return cutTo(value.text, masker);
  if (typeof value === 'string') return cutTo(JSON.stringify(value), masker);
  if (
    Array.isArray(value)
      ? value.length > largest / 2
      : isObject(value) && Object.keys(value).length > largest / 4
  )
    return Array.isArray(value)
      ? `[${value.length} items]`
      : `{${Object.keys(value as object).length} members}`;
  if (!Array.isArray(value) && !isObject(value)) return describe(value);
  const json = writeJson(value);
  if (json.length <= largest) return cutTo(json, masker);
  return Array.isArray(value) ? `[${value.length} items]` : `{${Object.keys(value).length} members}`;
}
