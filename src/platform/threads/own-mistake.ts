/** A mistake of our own that happened in a thread, told as if it had happened here. */
export function ownMistake({ name, stack }: { readonly name: string; readonly stack: string }): Error {
  const error = new Error(name);
  error.name = name;
  error.stack = stack;
  return error;
}
