import Big from 'big.js';
import { Exact, type Numeric } from '../model/value.ts';

/** A quotient has so many digits; sums, differences and products are exact. */
const quotientDigits = 34;
/** Numbers with a larger exponent keep their digits, but are not calculated with: they would fill the memory. */
const largestExponent = 10_000;

const jsonNumber = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/;

/** Whether a text is written as JSON writes a number. */
export function isNumberText(text: string): boolean {
  return jsonNumber.test(text);
}

/** Reads a number in the form of JSON, keeping every digit. */
export function readNumber(text: string): Numeric {
  if (text.length <= 15 && !/[eE]/.test(text)) return Number(text) + 0;
  return fromBig(new Big(text));
}

/** A double where it stands for the same decimal, else an `Exact`. */
function fromBig(decimal: Big): Numeric {
  const isWhole = decimal.e >= decimal.c.length - 1;
  if (isWhole && decimal.e < 16) {
    const double = decimal.toNumber();
    if (Number.isSafeInteger(double)) return double + 0;
  }
  return decimal.c.length <= 15 && Math.abs(decimal.e) < 300 ? decimal.toNumber() : new Exact(decimal);
}

export function isNumeric(value: unknown): value is Numeric {
  return typeof value === 'number' || value instanceof Exact;
}

function toBig(value: Numeric): Big {
  return typeof value === 'number' ? new Big(value) : value.decimal;
}

/** Negative, zero or positive, as `a` is less than, equal to or greater than `b`. */
export function compareNumbers(a: Numeric, b: Numeric): number {
  if (typeof a === 'number' && typeof b === 'number') return a < b ? -1 : a > b ? 1 : 0;
  return toBig(a).cmp(toBig(b));
}

export function isInteger(value: Numeric): boolean {
  if (typeof value === 'number') return Number.isInteger(value);
  return value.decimal.e >= value.decimal.c.length - 1;
}

export type Operator = '+' | '-' | '*' | '/';

/** Exact arithmetic; nothing for a division by zero, and where the result would be too large to write down. */
export function calculate(operator: Operator, a: Numeric, b: Numeric): Numeric | undefined {
  if (operator !== '/' && Number.isSafeInteger(a) && Number.isSafeInteger(b)) {
    const [x, y] = [a as number, b as number];
    const result = operator === '+' ? x + y : operator === '-' ? x - y : x * y;
    if (Number.isSafeInteger(result)) return result + 0;
  }
  const [x, y] = [toBig(a), toBig(b)];
  if (Math.abs(x.e) > largestExponent || Math.abs(y.e) > largestExponent) return undefined;
  switch (operator) {
    case '+':
      return fromBig(x.plus(y));
    case '-':
      return fromBig(x.minus(y));
    case '*':
      return fromBig(x.times(y));
    default:
      return y.eq(0) ? undefined : fromBig(divide(x, y));
  }
}

/** big.js counts the places behind the point, not the digits: as many as the size of the quotient leaves. */
function divide(x: Big, y: Big): Big {
  const places = Math.max(0, quotientDigits - (x.e - y.e));
  const Divider = Big();
  Divider.DP = Math.min(places, 1_000_000);
  return new Divider(x).div(y).prec(quotientDigits);
}

/** @param places behind the point */
export function round(value: Numeric, direction: 'round' | 'floor' | 'ceil', places = 0): Numeric {
  const decimal = toBig(value);
  if (direction === 'round') return fromBig(decimal.round(places, Big.roundHalfUp));
  const awayFromZero = (direction === 'floor') === decimal.s < 0;
  return fromBig(decimal.round(places, awayFromZero ? Big.roundUp : Big.roundDown));
}

/** The number as JSON writes it, integers with all their digits. */
export function numberText(value: Numeric): string {
  if (typeof value === 'number') return String(value);
  const { decimal } = value;
  return Math.abs(decimal.e) < 400 ? decimal.toFixed() : decimal.toString();
}
