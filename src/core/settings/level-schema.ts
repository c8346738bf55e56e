import * as z from 'zod/mini';
import type { Forms } from '../yaml/forms.ts';
import type { Setting } from './setting.ts';

// A schema is used once or twice in a run; making code of it first takes longer than using it.
z.config({ jitless: true });

const forms: Forms = {
  z: {
    array: z.array,
    boolean: z.boolean,
    enum: z.enum,
    int: z.int,
    literal: z.literal,
    maximum: z.maximum,
    minimum: z.minimum,
    nullable: z.nullable,
    optional: z.optional,
    record: z.record,
    strictObject: z.strictObject,
    string: z.string,
    union: z.union,
    unknown: z.unknown,
  },
  scalar: z.union([z.string(), z.number(), z.boolean(), z.bigint()]),
  amount: z.union([z.string(), z.number()]),
};

export type LevelSchema = z.ZodMiniObject<{ [key: string]: z.ZodMiniType }>;

/** The form of the settings that may stand at one kind of level. A value that is null takes away what an outer one has set. */
export function schemaOfLevel(settings: readonly Setting[]): LevelSchema {
  return z.strictObject(
    Object.fromEntries(settings.map(({ key, schema }) => [key, z.optional(z.nullable(schema(forms)))])),
  );
}

/** The forms of objects that are looked at in a second step, by the key of their setting. */
export function detailSchemas(settings: readonly Setting[]): ReadonlyMap<string, z.ZodMiniType> {
  return new Map(settings.flatMap(({ key, details }) => (details ? [[key, details(forms)] as const] : [])));
}
