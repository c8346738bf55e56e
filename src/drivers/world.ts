import type { World } from '../core/language/functions/signature.ts';

/** The present, and chance. */
export const world: World = { now: Date.now, uuid: () => crypto.randomUUID(), random: Math.random };

/** The environment of the process. */
export const osEnvironment = (name: string): string | undefined => process.env[name];
