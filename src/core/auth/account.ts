import type { Form, Forms } from '../yaml/forms.ts';

/** The form of a user and a password, and its keys. */
export function account({ z, scalar }: Forms): Form {
  return z.strictObject({ user: scalar, password: scalar });
}

export const accountKeys = ['user', 'password'];
