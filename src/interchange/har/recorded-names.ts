import { secretName, signedToken } from '../../core/secrecy/secret-names.ts';
import type { ImportedSecret } from '../imported.ts';
import { nameOf, UniqueNames } from '../plain-text.ts';
import { literalText } from '../write-pages.ts';
import { RecordedValues, type SentValue } from './recorded-values.ts';

/** The names that stand in a page in the place of recorded values: of what an earlier answer gave, and of secrets. */
export class RecordedNames {
  readonly values: RecordedValues;
  readonly secrets = new Map<string, ImportedSecret & { readonly value: string }>();
  readonly #names: UniqueNames;
  /** What the request that is written sends. */
  #sent: SentValue[] = [];

  /**
   * @param asked what the requests send
   * @param there secrets that the collection has already, as they are written: a name of theirs is theirs
   */
  constructor(
    asked: ReadonlySet<string>,
    readonly there: ReadonlyMap<string, string>,
  ) {
    this.#names = new UniqueNames(['server', ...there.keys()]);
    this.values = new RecordedValues(asked, this.#names);
  }

  /** What an earlier answer gave, or a secret that is known already. */
  nameFor(sent: SentValue): string | undefined {
    if (sent.value === '') return undefined;
    this.#sent.push(sent);
    return this.values.nameFor(sent) ?? this.#knownSecret(sent.value)?.name;
  }

  referenceFor(sent: SentValue): string | undefined {
    const name = this.nameFor(sent);
    return name === undefined ? undefined : `{${name}}`;
  }

  /** The same, or a name of its own where what it is called says that it is a secret. */
  namedOrSecret(called: string, sent: SentValue, about: string): string | undefined {
    return (
      this.nameFor(sent) ??
      (isSecret(called, sent.value) ? this.secret(called, sent.value, about) : undefined)
    );
  }

  /** The name of a secret, which is called like what it is. */
  secret(called: string, value: string, about: string): string {
    const known = this.#knownSecret(value);
    if (known) return known.name;
    const wanted = nameOf(called, 'secret');
    const isThere = this.there.get(wanted) === literalText(value) && !this.secrets.has(wanted);
    const name = isThere ? wanted : this.#names.take(wanted);
    this.secrets.set(name, { name, about, value });
    return name;
  }

  /** A request is written: what it said by itself, no later answer gave it. Returns all that it sends. */
  endRequest(): readonly SentValue[] {
    const sent = this.#sent;
    this.values.noteSent(sent);
    this.#sent = [];
    return sent;
  }

  #knownSecret(value: string): ImportedSecret | undefined {
    return [...this.secrets.values()].find(each => each.value === value);
  }
}

export function isSecret(name: string, value: string): boolean {
  return (
    value !== '' &&
    (/^(?:pin|otp)$|pass(?:word|phrase|wd)/i.test(name) ||
      (secretName.test(name) && value.length >= 6) ||
      signedToken.test(value))
  );
}
