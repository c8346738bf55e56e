import { CalendarDate, isObject, Plain, Timestamp, type Value } from '../model/value.ts';
import { plainAs } from '../values/compare.ts';
import { isInteger, isNumeric } from '../values/number.ts';
import { readDate, readTimestamp, textOf } from '../values/text.ts';
import type { TypeName } from './ast.ts';

const uuid = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;
const email =
  /^[^\s@"(),:;<>[\]\\]{1,64}@[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?)+$/;

/** Whether a value is of a type. A plain value is of every type that it is written as. */
export function isOfType(value: Value, type: TypeName): boolean {
  const text = typeof value === 'string' || value instanceof Plain ? textOf(value) : undefined;
  switch (type) {
    case 'text':
      return text !== undefined;
    case 'number':
    case 'integer': {
      const number = value instanceof Plain ? plainAs(value, 'number') : value;
      return isNumeric(number) && (type === 'number' || isInteger(number));
    }
    case 'boolean':
      return typeof value === 'boolean' || (value instanceof Plain && (text === 'true' || text === 'false'));
    case 'list':
      return Array.isArray(value);
    case 'object':
      return isObject(value);
    case 'null':
      return value === null;
    case 'date':
      return value instanceof CalendarDate || (text !== undefined && readDate(text) !== undefined);
    case 'timestamp':
      return value instanceof Timestamp || (text !== undefined && readTimestamp(text) !== undefined);
    case 'uuid':
      return text !== undefined && uuid.test(text);
    case 'url':
      return text !== undefined && URL.canParse(text);
    case 'email':
      return text !== undefined && text.length <= 254 && email.test(text);
    default:
      return typeof value === 'number' && Math.floor(value / 100) === Number(type[0]);
  }
}
