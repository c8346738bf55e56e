import { referenceText } from '../language/reference.ts';
import type { Template } from '../language/templates/template.ts';
import { Plain } from '../model/value.ts';
import type { Bindings } from './bindings.ts';

/** A text with references, read backwards: what they stand for in a text that came. */
export class TextPattern {
  /** As a template has it. */
  readonly shown: string;
  readonly #keys: readonly string[];
  readonly #literal: string | undefined;
  /** Where a reference is all that there is, which most are: nothing has to be looked for. */
  readonly #isWhole: boolean;
  readonly #mayBeEmpty: boolean;
  #expression: RegExp | undefined;
  readonly #source: string;

  /**
   * @param parts texts as they stand in what comes, and keys of references between them
   * @param mayBeEmpty whether a reference can stand for nothing
   */
  constructor(parts: readonly (string | { readonly key: string })[], mayBeEmpty = true) {
    const one = mayBeEmpty ? '([\\s\\S]*?)' : '([\\s\\S]+?)';
    this.shown = parts.map(part => (typeof part === 'string' ? part : `{${part.key}}`)).join('');
    this.#keys = parts.flatMap(part => (typeof part === 'string' ? [] : [part.key]));
    this.#isWhole = parts.length === 1 && this.#keys.length === 1;
    this.#mayBeEmpty = mayBeEmpty;
    if (this.#keys.length === 0) this.#literal = parts.join('');
    this.#source = `^${parts.map(part => (typeof part === 'string' ? escaped(part) : one)).join('')}$`;
  }

  static of(template: Template): TextPattern {
    return new TextPattern(partsOf(template));
  }

  /** The text where it is one, for those that compare a part of it. */
  get literal(): string | undefined {
    return this.#literal;
  }

  /** The same for all texts that match the same, whatever their references are called. */
  get form(): string {
    return this.#literal === undefined ? this.#source : JSON.stringify(this.#literal);
  }

  matches(text: string, bindings: Bindings): boolean {
    if (this.#literal !== undefined) return text === this.#literal;
    if (this.#isWhole)
      return (this.#mayBeEmpty || text !== '') && bindings.bind(this.#keys[0]!, new Plain(text));
    this.#expression ??= new RegExp(this.#source);
    const found = this.#expression.exec(text);
    if (!found) return false;
    return this.#keys.every((key, index) => bindings.bind(key, new Plain(found[index + 1]!)));
  }
}

export function partsOf({ parts }: Template): (string | { key: string })[] {
  return parts.map(part => (typeof part === 'string' ? part : { key: referenceText(part.reference) }));
}

export function escaped(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
}
