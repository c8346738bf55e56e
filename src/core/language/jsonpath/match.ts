import type { Value } from '../../model/value.ts';
import { outline } from '../../values/describe.ts';

/** A value in a document, and the way to it. */
export class Match {
  constructor(
    readonly value: Value,
    readonly parent?: Match,
    readonly key: string | number = '',
  ) {}

  /** What stands around it, in one line. */
  get surroundings(): string {
    // The object or list that holds it, but not the whole document.
    return outline((this.parent?.parent ? this.parent : this).value);
  }

  /** The way to it as a page would write it: `$.berths[3].state`. */
  get path(): string {
    return this.parent ? this.parent.path + pathStep(this.key) : '$';
  }

  /** The normalized path of RFC 9535, 2.7: `$['berths'][3]['state']`. */
  get normalizedPath(): string {
    if (!this.parent) return '$';
    return (
      this.parent.normalizedPath + (typeof this.key === 'number' ? `[${this.key}]` : quotedStep(this.key))
    );
  }
}

export function pathStep(key: string | number): string {
  if (typeof key === 'number') return `[${key}]`;
  if (/^[A-Za-z_]\w*$/.test(key)) return `.${key}`;
  return quotedStep(key);
}

function quotedStep(key: string): string {
  return `['${key.replace(/[\\']/g, '\\$&').replace(/[\u0000-\u001f]/g, char => JSON.stringify(char).slice(1, -1))}']`;
}
