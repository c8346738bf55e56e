/** Milliseconds of a clock that only goes forward. (The global `performance` loads several modules when first used.) */
export function elapsed(): number {
  const [seconds, nanoseconds] = process.hrtime();
  return seconds * 1000 + nanoseconds / 1e6;
}
