/** A check that may be worth writing. */
export interface Candidate {
  /** As it stands in a page. */
  readonly text: string;
  /** Why it is proposed, for a comment. */
  readonly reason: string;
}
