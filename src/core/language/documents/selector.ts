import { kindInWords, kindOf, Missing, type Value } from '../../model/value.ts';
import { textOf } from '../../values/text.ts';
import type { Given } from '../jsonpath/ast.ts';
import type { Reference } from '../reference.ts';

/**
 * An XPath or a CSS selector. References in it are never spliced: a mark, a character that no text has (Unicode, 23.7),
 * stands for each while it is read, and the value takes the place of the mark in what was read.
 */
export interface Selector {
  /** As it is written, with its references. */
  readonly text: string;
  /** With a mark for each reference. */
  readonly marked: string;
  readonly given: readonly Given[];
}

const [firstMark, lastMark] = [0xfdd0, 0xfdef];
const mostMarks = lastMark - firstMark + 1;

/** Any mark. */
export const marks = /[\uFDD0-\uFDEF]/g;

/** Makes a selector of its parts; nothing where there are too many references, or a character that is none. */
export function selectorOf(parts: readonly (string | Reference)[], text: string): Selector | undefined {
  const given: Given[] = [];
  let marked = '';
  for (const part of parts) {
    if (typeof part === 'string') {
      if (part.search(marks) >= 0) return undefined;
      marked += part;
    } else {
      marked += String.fromCharCode(firstMark + given.length);
      given.push({ reference: part, asText: false });
    }
  }
  return given.length > mostMarks ? undefined : { text, marked, given };
}

/** The value for a mark. */
export function valueFor(mark: string, values: readonly Value[]): Value {
  return values[mark.charCodeAt(0) - firstMark]!;
}

export function hasMark(text: string): boolean {
  return text.search(marks) >= 0;
}

/** A text with the values that its marks stand for, or why one of them is no text. */
export function fillMarks(text: string, values: readonly Value[]): string | Missing {
  let unfit: Missing | undefined;
  const filled = text.replace(marks, mark => {
    const value = valueFor(mark, values);
    const characters = textOf(value);
    if (characters === undefined) unfit ??= unfitFor(value);
    return characters ?? '';
  });
  return unfit ?? filled;
}

export function unfitFor(value: Value): Missing {
  return Missing.unreadable(`${kindInWords(kindOf(value))} cannot stand in a selector`);
}
