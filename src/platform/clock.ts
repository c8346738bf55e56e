/** Milliseconds of a clock that only goes forward. (The global `performance` loads several modules when first used.) */
export function elapsed(): number {
  const [seconds, nanoseconds] = process.hrtime();
  return seconds * 1000 + nanoseconds / 1e6;
}

/** In milliseconds: what a timer of the system can be set to. What is longer would be over at once. */
export const longestTimer = 2 ** 31 - 1;

/**
 * Limits something to a time of any length, in milliseconds. What has come in by the end of it comes before `then`: a
 * program that was busy itself, and reads late what is there, has not waited in vain. What is waited for keeps the
 * program alive, not the limit of its time.
 * @returns what keeps it from that
 */
export function after(milliseconds: number, then: () => void): () => void {
  const end = elapsed() + milliseconds;
  let timer: NodeJS.Timeout;
  let immediate: NodeJS.Immediate | undefined;
  const wait = (left: number) => {
    timer = setTimeout(
      () => {
        if (left > longestTimer) wait(end - elapsed());
        else immediate = setImmediate(then);
      },
      Math.min(longestTimer, left),
    ).unref();
  };
  wait(milliseconds);
  return () => {
    clearTimeout(timer);
    clearImmediate(immediate);
  };
}

/** Aborted after a time of any length, in milliseconds. */
export function signalAfter(milliseconds: number): AbortSignal {
  const controller = new AbortController();
  after(milliseconds, () => controller.abort());
  return controller.signal;
}
