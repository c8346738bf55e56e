import type { EvaluationContext } from '../../language/evaluation-context.ts';
import type { Reference } from '../../language/reference.ts';
import { refuseValue } from '../../language/templates/render.ts';
import { Exact, kindInWords, kindOf, Plain, type Value } from '../../model/value.ts';
import type { Dialect } from '../../settings/database.ts';
import { writeJson } from '../../values/json-document.ts';
import { isInteger, isNumberText, numberText } from '../../values/number.ts';
import { instantText, textOf } from '../../values/text.ts';
import { isExactDouble } from './exact-double.ts';
import type { Parameter } from './query-port.ts';

/** How a value is given a kind. */
export function sayKind(name: string): string {
  return `say so in a let: let value = number({${name}}), or text({${name}}); in the settings: value: { let: "number({${name}})" }`;
}

/** A value as a parameter of a query. Throws TemplateError where the database has nothing like it. */
export function bind(
  value: Value,
  reference: Reference,
  dialect: Dialect,
  context: EvaluationContext,
): Parameter {
  const refuse = (what: string) => refuseValue(reference, context, what);
  if (value instanceof Plain) {
    // It has no type of its own, and SQLite compares by type.
    if (dialect === 'sqlite' && isNumberText(value.text))
      refuse(`may be a number or a text, and SQLite compares by which it is; ${sayKind(reference.name)}`);
    if (value.text.includes('\0')) refuse('holds a NUL, which no text of a database can');
    return { kind: dialect === 'sqlite' ? 'text' : 'plain', value: value.text };
  }
  const kind = kindOf(value);
  switch (kind) {
    case 'null':
      return { kind: 'null', value: null };
    case 'number': {
      if (dialect === 'sqlite' && value instanceof Exact && !isLargeInteger(value))
        refuse('has more digits than a number of SQLite');
      return { kind: 'number', value: numberText(value as number | Exact) };
    }
    case 'boolean':
      return { kind: 'boolean', value: String(value) };
    case 'bytes':
      return { kind: 'bytes', value: value as Uint8Array };
    case 'list':
    case 'object':
      return { kind: 'json', value: writeJson(value) };
    case 'date':
    case 'timestamp':
      return { kind, value: instantText(value as Parameters<typeof instantText>[0]) };
    default: {
      const text = textOf(value);
      if (text === undefined) return refuse(`is ${kindInWords(kind)}, which no database has`);
      if (text.includes('\0')) refuse('holds a NUL, which no text of a database can');
      return { kind: 'text', value: text };
    }
  }
}

/** SQLite has integers of 64 bits. */
function isLargeInteger(value: Exact): boolean {
  const text = numberText(value);
  return isInteger(value) && /^-?\d{1,19}$/.test(text) && BigInt.asIntN(64, BigInt(text)) === BigInt(text);
}

/** How a database writes the place of a parameter, counted from 1. */
export function placeholder({ kind, value }: Parameter, number: number, dialect: Dialect): string {
  if (dialect === 'postgres') return `$${number}`;
  if (dialect !== 'mariadb' || kind !== 'number') return '?';
  // What a double cannot hold would lose digits on its way.
  const text = value as string;
  if (isExactDouble(text)) return '?';
  if (/^-?\d{1,18}$/.test(text)) return 'cast(? as signed)';
  const [, whole = '', part = ''] = /^-?(\d+)(?:\.(\d+))?$/.exec(text) ?? [];
  const digits = whole.length + part.length;
  return whole !== '' && digits <= 65 && part.length <= 38
    ? `cast(? as decimal(${digits}, ${part.length}))`
    : '?';
}
