import type { ClockAndRandom } from '../../model/clock-and-random.ts';
import {
  type Found,
  isObject,
  type Kind,
  kindInWords,
  kindOf,
  Missing,
  type Value,
} from '../../model/value.ts';
import { asNumber, asText } from '../../values/compare.ts';
import { textOf } from '../../values/text.ts';
import type { Pattern } from '../patterns.ts';

/**
 * `data` is a text or bytes; `pattern` one between slashes, or a text that holds one; `part` a text as it is, or a
 * pattern between slashes.
 */
export type Parameter = 'any' | 'text' | 'number' | 'list' | 'object' | 'data' | 'pattern' | 'part';

export interface LanguageFunction {
  readonly parameters: readonly Parameter[];
  /** How many of the last parameters may be left out. */
  readonly optional?: number;
  /** The kind of what it gives, where that does not hang on what it is given. */
  readonly result: Kind | 'any';
  /**
   * @param given values of the kinds that `parameters` name, plain ones already read as those
   * @param pattern the one pattern among them, made ready
   */
  readonly apply: (given: Value[], clockAndRandom: ClockAndRandom, pattern: Pattern | undefined) => Found;
}

export interface FunctionGroup {
  readonly [name: string]: LanguageFunction;
}

const kindsOfParameters: { readonly [parameter in Parameter]: readonly (Kind | 'any')[] | undefined } = {
  any: undefined,
  text: ['text', 'plain'],
  number: ['number', 'plain'],
  list: ['list'],
  object: ['object'],
  data: ['text', 'plain', 'number', 'boolean', 'date', 'timestamp', 'bytes'],
  pattern: ['text', 'plain'],
  part: ['text', 'plain'],
};

/** Whether a value of a kind that is known before the run can be given for a parameter. */
export function canBeGiven(kind: Kind | 'any', parameter: Parameter): boolean {
  const kinds = kindsOfParameters[parameter];
  return kinds === undefined || kind === 'any' || kinds.includes(kind);
}

/** `a text`, `a text or bytes`: a parameter as it stands in a sentence. */
export function parameterInWords(parameter: Parameter): string {
  if (parameter === 'any') return 'a value';
  if (parameter === 'data') return 'a text or bytes';
  if (parameter === 'part') return 'a text or a pattern';
  return parameter === 'pattern' ? 'a pattern' : kindInWords(parameter);
}

/** Reads a given value as the kind that a parameter asks for. */
export function fitParameter(name: string, parameter: Parameter, value: Value): Found {
  const fit = readAs(parameter, value);
  return fit !== undefined
    ? fit
    : new Missing(`${name}() takes ${parameterInWords(parameter)}, not ${kindInWords(kindOf(value))}`);
}

function readAs(parameter: Parameter, value: Value): Value | undefined {
  switch (parameter) {
    case 'any':
      return value;
    case 'text':
    case 'pattern':
    case 'part':
      return asText(value);
    case 'number':
      return asNumber(value);
    case 'list':
      return Array.isArray(value) ? value : undefined;
    case 'object':
      return isObject(value) ? value : undefined;
    case 'data':
      return value instanceof Uint8Array ? value : textOf(value);
    default:
      return parameter satisfies never;
  }
}
