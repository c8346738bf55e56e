import { Decimal } from 'decimal.js';
import { Special } from './value.ts';

/** A decimal number with more digits than a double keeps. */
export class Exact extends Special {
  readonly kind = 'number';
  constructor(readonly decimal: Decimal) {
    super();
  }
}

export type Numeric = number | Exact;

/** Sums, differences and products are exact up to a thousand digits; quotients have 34. */
const exact = Decimal.clone({
  precision: 1000,
  maxE: 100_000,
  minE: -100_000,
  toExpNeg: -400,
  toExpPos: 400,
});
const quotient = Decimal.clone({ precision: 34, maxE: 100_000, minE: -100_000 });

const jsonNumber = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/;

/** Whether a text is written as JSON writes a number. */
export function isNumberText(text: string): boolean {
  return jsonNumber.test(text);
}

/** Reads a number in the form of JSON, keeping every digit. */
export function readNumber(text: string): Numeric {
  if (text.length <= 15 && !/[eE]/.test(text)) return Number(text) + 0;
  return fromDecimal(new exact(text));
}

/** A double where it stands for the same decimal, else an `Exact`. */
function fromDecimal(decimal: Decimal): Numeric {
  const double = decimal.toNumber();
  if (Number.isSafeInteger(double) && decimal.isInteger()) return double + 0;
  return decimal.precision() <= 15 && Math.abs(decimal.e) < 300 ? double : new Exact(decimal);
}

export function isNumeric(value: unknown): value is Numeric {
  return typeof value === 'number' || value instanceof Exact;
}

function toDecimal(value: Numeric): Decimal {
  return typeof value === 'number' ? new exact(value) : value.decimal;
}

/** Negative, zero or positive, as `a` is less than, equal to or greater than `b`. */
export function compareNumbers(a: Numeric, b: Numeric): number {
  if (typeof a === 'number' && typeof b === 'number') return a < b ? -1 : a > b ? 1 : 0;
  return toDecimal(a).comparedTo(toDecimal(b));
}

export function isInteger(value: Numeric): boolean {
  return typeof value === 'number' ? Number.isInteger(value) : value.decimal.isInteger();
}

export type Operator = '+' | '-' | '*' | '/';

/** Exact arithmetic; a division by zero gives nothing. */
export function calculate(operator: Operator, a: Numeric, b: Numeric): Numeric | undefined {
  if (operator === '/') {
    const divisor = toDecimal(b);
    return divisor.isZero() ? undefined : fromDecimal(new exact(quotient.div(toDecimal(a), divisor)));
  }
  if (Number.isSafeInteger(a) && Number.isSafeInteger(b)) {
    const [x, y] = [a as number, b as number];
    const result = operator === '+' ? x + y : operator === '-' ? x - y : x * y;
    if (Number.isSafeInteger(result)) return result + 0;
  }
  const [x, y] = [toDecimal(a), toDecimal(b)];
  const result = operator === '+' ? exact.add(x, y) : operator === '-' ? exact.sub(x, y) : exact.mul(x, y);
  return result.isFinite() ? fromDecimal(result) : undefined;
}

export function round(value: Numeric, direction: 'round' | 'floor' | 'ceil'): Numeric {
  const decimal = toDecimal(value);
  if (direction === 'round') return fromDecimal(decimal.toDecimalPlaces(0, Decimal.ROUND_HALF_UP));
  return fromDecimal(direction === 'floor' ? decimal.floor() : decimal.ceil());
}

/** The number as JSON writes it, integers with all their digits. */
export function numberText(value: Numeric): string {
  return typeof value === 'number' ? String(value) : value.decimal.toString();
}
