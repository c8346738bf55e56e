/** What is wrong with a text that stands in a fence or a file, at which offsets of it. */
export class OffsetError extends Error {
  constructor(
    message: string,
    readonly start: number,
    readonly end: number,
    readonly remedy?: string,
  ) {
    super(message);
  }
}
