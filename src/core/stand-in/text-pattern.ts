import { referenceText } from '../language/reference.ts';
import type { Template } from '../language/templates/template.ts';
import { Plain } from '../model/value.ts';
import type { Bindings } from './bindings.ts';

/** A text with references, read backwards: what they stand for in a text that came. */
export class TextPattern {
  readonly #keys: readonly string[];
  readonly #literal: string | undefined;
  readonly #expression: RegExp | undefined;
  readonly shown: string;

  /** @param parts texts as they stand in what comes, and keys of references between them */
  constructor(
    parts: readonly (string | { readonly key: string })[],
    /** What the characters of a reference stand for where it came. */
    readonly decode: (text: string) => string = text => text,
    /** What a reference can stand for. */
    one = '[\\s\\S]*?',
  ) {
    this.shown = parts.map(part => (typeof part === 'string' ? part : `{${part.key}}`)).join('');
    this.#keys = parts.flatMap(part => (typeof part === 'string' ? [] : [part.key]));
    if (this.#keys.length === 0) this.#literal = parts.join('');
    else
      this.#expression = new RegExp(
        `^${parts.map(part => (typeof part === 'string' ? escaped(part) : `(${one})`)).join('')}$`,
      );
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
    return this.#literal === undefined ? this.#expression!.source : JSON.stringify(this.#literal);
  }

  /** As a template has it. */
  toString(): string {
    return this.shown;
  }

  matches(text: string, bindings: Bindings): boolean {
    if (this.#literal !== undefined) return text === this.#literal;
    const found = this.#expression!.exec(text);
    if (!found) return false;
    return this.#keys.every((key, index) => bindings.bind(key, new Plain(this.decode(found[index + 1]!))));
  }
}

export function partsOf({ parts }: Template): (string | { key: string })[] {
  return parts.map(part => (typeof part === 'string' ? part : { key: referenceText(part.reference) }));
}

export function escaped(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
}
