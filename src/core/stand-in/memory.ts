import type { Value } from '../model/value.ts';
import { textOf } from '../values/text.ts';

/** So many values are remembered; the oldest are forgotten. */
const most = 10_000;

/**
 * What requests said whose answers gave a name its value: whoever asks by that value later is told the same. A reservation
 * reads back as it was made.
 */
export class Memory {
  readonly #known = new Map<string, ReadonlyMap<string, Value>>();

  remember(name: string, value: Value, asked: ReadonlyMap<string, Value>): void {
    const key = keyOf(name, value);
    if (key === undefined) return;
    this.#known.delete(key);
    this.#known.set(key, asked);
    if (this.#known.size > most) this.#known.delete(this.#known.keys().next().value!);
  }

  recall(name: string, value: Value): ReadonlyMap<string, Value> | undefined {
    const key = keyOf(name, value);
    return key === undefined ? undefined : this.#known.get(key);
  }
}

function keyOf(name: string, value: Value): string | undefined {
  const text = textOf(value);
  return text === undefined ? undefined : `${name} ${text}`;
}
