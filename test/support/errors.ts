/** What something says that fails; what it gives, where it does not. */
export function errorOf(use: () => unknown): string {
  try {
    return `gives ${JSON.stringify(use())}`;
  } catch (error) {
    return (error as Error).message;
  }
}
