/** A value of an answer that a later request may send. */
export interface AnswerValue {
  readonly value: string;
  /** What it is called there. */
  readonly member: string;
  /** What it is of, where that is said right there. */
  readonly around?: string | undefined;
  /** Whether it is one wherever it comes from, as a cookie is. */
  readonly isSecret?: true;
  /** Whether it stands in the words of a script: any other place is a better one. */
  readonly isForScripts?: true;
  /** What a statement takes: `$.berths[0].id`, `location /([^\/]+)$/`; nothing where it cannot be found surely. */
  readonly source: () => string | undefined;
}
