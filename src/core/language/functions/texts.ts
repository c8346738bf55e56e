import { type Found, isObject, kindInWords, kindOf, Missing, Plain, type Value } from '../../model/value.ts';
import { asText } from '../../values/compare.ts';
import { JsonError, readJson, writeJson } from '../../values/json-document.ts';
import { isNumberText, isNumeric, readNumber } from '../../values/number.ts';
import { textOf } from '../../values/text.ts';
import { longestText, tooLong } from '../../values/weight.ts';
import type { FunctionGroup } from './signature.ts';

/** Texts, and what is written in them. */
export const textFunctions = {
  text: {
    parameters: ['any'],
    result: 'text',
    apply: ([value]) => textOf(value!) ?? new Missing(`text() cannot write ${kindInWords(kindOf(value!))}`),
  },
  number: { parameters: ['any'], result: 'number', apply: ([value]) => toNumber(value!) },
  json: { parameters: ['any'], result: 'text', apply: ([value]) => writeJson(value!) },
  parse: { parameters: ['text'], result: 'any', apply: ([text]) => parseJson(text as string) },
  length: { parameters: ['any'], result: 'number', apply: ([value]) => lengthOf(value!) },
  lower: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).toLowerCase() },
  upper: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).toUpperCase() },
  trim: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).trim() },
  repeat: {
    parameters: ['text', 'number'],
    result: 'text',
    apply: ([text, times]) => repeated(text as string, times!),
  },
  split: {
    parameters: ['text', 'text'],
    result: 'list',
    apply: ([text, by]) => (text as string).split(by as string),
  },
  join: {
    parameters: ['list', 'text'],
    optional: 1,
    result: 'text',
    apply: ([list, by = ', ']) => {
      const texts = (list as Value[]).map(textOf);
      return texts.includes(undefined)
        ? new Missing('join() takes a list of texts and numbers')
        : texts.join(by as string);
    },
  },
  find: {
    parameters: ['text', 'pattern'],
    result: 'plain',
    apply: ([text], _world, pattern) => {
      const found = pattern!.matches(text as string, 1);
      if (found instanceof Missing) return found;
      return found.length > 0 ? new Plain(found[0]!) : new Missing('find() finds nothing there');
    },
  },
  replace: {
    parameters: ['text', 'part', 'text'],
    result: 'text',
    apply: ([text, part, by], _world, pattern) =>
      pattern
        ? pattern.replace(text as string, by as string)
        : (text as string).replaceAll(part as string, () => by as string),
  },
} satisfies FunctionGroup;

function repeated(text: string, times: Value): Found {
  const count = Number(textOf(times));
  if (!Number.isInteger(count) || count < 0) return new Missing('repeat() takes a whole number from 0');
  if (text.length * count > longestText)
    return new Missing(`repeat() makes a text that is too long: ${tooLong}`);
  return text.repeat(count);
}

function toNumber(value: Value): Found {
  if (isNumeric(value)) return value;
  const text = asText(value);
  if (text === undefined) return new Missing(`number() takes a text, not ${kindInWords(kindOf(value))}`);
  const trimmed = text.trim();
  return isNumberText(trimmed)
    ? readNumber(trimmed)
    : new Missing(`'${text.slice(0, 40)}' is not written as a number`);
}

function parseJson(text: string): Found {
  try {
    return readJson(text);
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    return new Missing(`parse() takes JSON, and ${error.message}`);
  }
}

function lengthOf(value: Value): Found {
  if (Array.isArray(value)) return value.length;
  if (value instanceof Uint8Array) return value.length;
  if (isObject(value)) return Object.keys(value).length;
  const text = asText(value);
  return text === undefined ? new Missing(`${kindInWords(kindOf(value))} has no length`) : [...text].length;
}
