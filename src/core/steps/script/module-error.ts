/** What is wrong with a module, at which offsets. */
export class ModuleError extends Error {
  constructor(
    message: string,
    readonly start: number,
    readonly end: number,
    readonly remedy?: string,
  ) {
    super(message);
  }
}
