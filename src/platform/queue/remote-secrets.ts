import type { SharedSecrets } from '../../core/secrecy/shared-secrets.ts';
import type { Secrets } from './messages.ts';

/** So many secrets of iterations that are over are still known: others that were under way then may meet them later. */
const keptOnes = 20_000;

/** What workers have come by that nobody may see: what one was given may stand in the answer to another. */
export class RemoteSecrets implements SharedSecrets {
  #added: string[] = [];
  readonly #over: string[] = [];

  hear({ added, retired }: Secrets): void {
    this.#added.push(...added);
    this.#over.push(...retired);
  }

  /** What is known here is known to all workers: it stands in what they were given. */
  add(): void {}

  retire(): void {}

  take(onAdded: (secret: string) => void, onRetired: (secrets: readonly string[]) => void): void {
    if (this.#added.length > 0) {
      for (const secret of this.#added) onAdded(secret);
      this.#added = [];
    }
    if (this.#over.length > keptOnes) onRetired(this.#over.splice(0, this.#over.length - keptOnes));
  }
}
