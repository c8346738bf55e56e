import { isObject, kindInWords, kindOf, type Value } from '../../model/value.ts';
import { equalJson } from '../../values/compare.ts';
import { JsonError, readJson, writeJson } from '../../values/json-document.ts';
import type { Bindings } from '../bindings.ts';
import { TextPattern } from '../text-pattern.ts';
import { type BodyPattern, type ReceivedBody, unreadable } from './body-pattern.ts';
import { anyOpen, pieces, reference, withoutNames } from './marks.ts';

type JsonMatch = (value: Value, bindings: Bindings, at: string) => string | undefined;

/** A document that has to include what is written: members of objects; lists item by item. */
export class JsonPattern implements BodyPattern {
  readonly conditions: number;
  readonly literals: number;
  readonly form: string;
  readonly #match: JsonMatch;

  constructor(written: Value) {
    this.form = withoutNames(writeJson(written));
    this.#match = jsonMatch(written);
    const leaves = leavesOf(written);
    this.conditions = leaves.length;
    this.literals = leaves.filter(each => typeof each !== 'string' || !reference.test(each)).length;
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    if (text.trim() === '') return 'would have to be there';
    return missesInJson(text, value => this.matches(value, bindings));
  }

  matches(value: Value, bindings: Bindings): string | undefined {
    return this.#match(value, bindings, '$');
  }
}

/** What keeps a text from being the document that is looked for, if only that it is none. */
export function missesInJson(
  text: string,
  misses: (document: Value) => string | undefined,
): string | undefined {
  let document: Value;
  try {
    document = readJson(text);
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    return `${unreadable}JSON: ${error.message}`;
  }
  return misses(document);
}

function jsonMatch(written: Value): JsonMatch {
  if (Array.isArray(written)) {
    const items = written.map(jsonMatch);
    return (value, bindings, at) => {
      if (!Array.isArray(value)) return `would have to have a list at ${at}`;
      if (value.length !== items.length) return `would have to have ${items.length} items at ${at}`;
      return firstOf(items, (match, index) => match(value[index]!, bindings, `${at}[${index}]`));
    };
  }
  if (isObject(written)) {
    const members = Object.entries(written).map(([name, each]) => ({ name, match: jsonMatch(each) }));
    return (value, bindings, at) => {
      if (!isObject(value)) return `would have to have an object at ${at}`;
      return firstOf(members, ({ name, match }) => {
        const own = Object.hasOwn(value, name) ? value[name] : undefined;
        return own === undefined ? `would have to have ${at}.${name}` : match(own, bindings, `${at}.${name}`);
      });
    };
  }
  if (typeof written !== 'string')
    return (value, _, at) =>
      equalJson(value, written) ? undefined : `would have to have ${String(written)} at ${at}`;
  const [, open, key] = new RegExp(`^${reference.source}$`, 'u').exec(written) ?? [];
  if (open === anyOpen)
    return (value, bindings, at) =>
      bindings.bind(key!, value) ? undefined : `has two values for {${key}}, one of them at ${at}`;
  const pattern = new TextPattern(pieces(written));
  return (value, bindings, at) => {
    if (typeof value !== 'string')
      return `would have to have a text at ${at}, not ${kindInWords(kindOf(value))}`;
    if (pattern.matches(value, bindings)) return undefined;
    return pattern.literal !== undefined
      ? `would have to have ${JSON.stringify(written)} at ${at}`
      : `would have to have another text at ${at}`;
  };
}

function leavesOf(value: Value): Value[] {
  if (Array.isArray(value)) return value.flatMap(leavesOf);
  return isObject(value) ? Object.values(value).flatMap(leavesOf) : [value];
}

function firstOf<Item>(
  items: readonly Item[],
  look: (item: Item, index: number) => string | undefined,
): string | undefined {
  for (const [index, item] of items.entries()) {
    const found = look(item, index);
    if (found !== undefined) return found;
  }
  return undefined;
}
