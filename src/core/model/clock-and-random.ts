/** The present, and chance; handed in, so that a run can be repeated. */
export interface ClockAndRandom {
  /** Milliseconds since 1970. */
  now(): number;
  uuid(): string;
  /** From 0 up to 1, which it never is. */
  random(): number;
}
