import type { Entry } from '../language/evaluation-context.ts';
import type { Value } from '../model/value.ts';
import type { Masker } from './masker.ts';

export interface EntryDetails {
  /** In words: `from environment local`. */
  readonly origin: string;
  /** Where it is secret by more than its name: what it is computed from, or a word of the statement that makes it. */
  readonly secret?: boolean | undefined;
  /** Whether it is a text with a secret in it, of which only that is masked. */
  readonly holdsSecret?: boolean | undefined;
}

/** Gives values their names. This is where a value becomes secret, and what is secret is masked from then on. */
export class NamedValues {
  constructor(
    /** Names whose values are secret, wherever they come from. */
    readonly secretNames: ReadonlySet<string>,
    readonly masker: Pick<Masker, 'addValue'>,
    /** Whether secrets are those of the whole run, or those of one iteration. */
    readonly how: 'lasting' | 'passing',
  ) {}

  isSecret(name: string): boolean {
    return this.secretNames.has(name);
  }

  make(name: string, value: Value, { origin, secret = false, holdsSecret = false }: EntryDetails): Entry {
    const isSecret = secret || this.isSecret(name);
    if (isSecret) this.conceal(value);
    const entry = { value, origin, secret: isSecret };
    return holdsSecret ? { ...entry, holdsSecret } : entry;
  }

  /** Masks a value that has no name: what an operation sends or has come by. */
  conceal(value: Value, how = this.how): void {
    this.masker.addValue(value, how);
  }
}
