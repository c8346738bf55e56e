/** What is known once the rounds of a run have ended. */
export interface CarriedOut {
  /** Within so many milliseconds the program got to what had come, 99 of 100 times. */
  readonly lag?: number | undefined;
  /** The condition that ended it before its time, and what was found. */
  readonly because?: string | undefined;
  /** What of it is missing, since whoever was to carry it out was lost; as sentences. */
  readonly missing?: readonly string[] | undefined;
  /** What was begun by somebody who was lost, and carried out again; as sentences. */
  readonly leftBehind?: readonly string[] | undefined;
}
