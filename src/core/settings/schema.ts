import * as z from 'zod/mini';

const scalar = z.union([z.string(), z.number(), z.boolean(), z.bigint()]);
const variables = z.record(z.string(), z.unknown());
const duration = z.union([z.string(), z.number()]);

/** The keys of every level. A value that is null takes away what an outer level has set. */
const everyLevel = {
  title: z.optional(z.nullable(scalar)),
  base: z.optional(z.nullable(z.string())),
  headers: z.optional(z.nullable(z.record(z.string(), z.nullable(scalar)))),
  variables: z.optional(z.nullable(variables)),
  checks: z.optional(z.nullable(z.string())),
  timeout: z.optional(
    z.nullable(
      z.union([
        duration,
        z.strictObject({
          connect: z.optional(duration),
          answer: z.optional(duration),
          total: z.optional(duration),
        }),
      ]),
    ),
  ),
};

export const levelSchema = z.strictObject(everyLevel);

/** The root mervok.yaml says two things more. */
export const rootSchema = z.strictObject({
  ...everyLevel,
  environments: z.optional(z.nullable(z.record(z.string(), z.nullable(variables)))),
  environment: z.optional(z.nullable(scalar)),
});
