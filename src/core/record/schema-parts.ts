import * as z from 'zod/mini';

// Forms that lines of a record have in common.

export const place = z.strictObject({ file: z.string(), line: z.int(), column: z.int() });

/** Milliseconds since 1970. */
export const moment = z.number().check(z.gte(0), z.lte(8.64e15));

/** As `2026-11-23T10:00:00.000Z`. */
export const instant = z
  .string()
  .check(
    z.regex(/^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])T(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d\.\d{3}Z$/),
  );

/** In milliseconds; a year has 3.2e10. */
export const duration = z.number().check(z.gte(0), z.lte(1e12));

export const headers = z.array(z.tuple([z.string(), z.string()]));

const counted = z.strictObject({ reason: z.string(), count: z.int() });

/** How many exchanges were held to a definition of an API, and how many could not be, with the first reasons. */
export const heldTotals = z.strictObject({
  file: z.string(),
  held: z.int(),
  notHeld: z.int(),
  reasons: z.array(counted),
  notes: z.array(counted),
});
