/** Milliseconds of a clock that only goes forward. (The global `performance` loads several modules when first used.) */
export function elapsed(): number {
  const [seconds, nanoseconds] = process.hrtime();
  return seconds * 1000 + nanoseconds / 1e6;
}

/** In milliseconds: what a timer of the system can be set to. What is longer would be over at once. */
export const longestTimer = 2 ** 31 - 1;

/** Does something after a time of any length, in milliseconds. @returns what keeps it from that */
export function after(milliseconds: number, then: () => void): () => void {
  const end = elapsed() + milliseconds;
  let timer: NodeJS.Timeout;
  const wait = (left: number) => {
    timer = setTimeout(
      () => (left > longestTimer ? wait(end - elapsed()) : then()),
      Math.min(longestTimer, left),
    );
  };
  wait(milliseconds);
  return () => clearTimeout(timer);
}
