import type * as z from 'zod/mini';

/** A text, or what YAML takes for something else. */
export function scalar(zod: typeof z) {
  return zod.union([zod.string(), zod.number(), zod.boolean(), zod.bigint()]);
}

/** A user and a password. */
export function account(zod: typeof z) {
  return zod.strictObject({ user: scalar(zod), password: scalar(zod) });
}

export const accountKeys = ['user', 'password'];
