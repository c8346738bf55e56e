import type { Candidate } from '../candidate.ts';
import type { Origin } from '../origins.ts';
import type { Subject } from '../subject.ts';

/** A form that answers have, and the checks that say so. What it finds is carried out before it is proposed. */
export interface Pattern {
  /** In a word, for documents and programs. */
  readonly name: string;
  find(subject: Subject, origins: readonly Origin[]): Iterable<Candidate>;
}
