import type { Value } from '../model/value.ts';

/** Somebody looked at a value that nobody knows yet. */
export class OpenValueError extends Error {
  constructor() {
    super('This value is known only once a request has been answered.');
  }
}

/** Throws OpenValueError. */
export function meetOpen(): never {
  throw new OpenValueError();
}

/**
 * A value that nobody knows yet: it can be handed on and counted, and whoever looks at what it is throws OpenValueError.
 * What is worked out without that holds whatever the value will be.
 */
export const openValue: Value = new Proxy(
  {},
  {
    get: meetOpen,
    has: meetOpen,
    ownKeys: meetOpen,
    getPrototypeOf: meetOpen,
    getOwnPropertyDescriptor: meetOpen,
  },
);

/** Whether a value is the one that nobody knows yet. */
export function isOpen(value: unknown): boolean {
  return value === openValue;
}

/** What a computation comes to; nothing where it meets a value that nobody knows yet. */
export function unlessOpen<Result>(compute: () => Result): Result | undefined {
  try {
    return compute();
  } catch (error) {
    if (error instanceof OpenValueError) return undefined;
    throw error;
  }
}
