import * as z from 'zod/mini';
import { kinds } from './read-kinds.ts';

// What pages rely on, as a file: small, sorted, the same for the same pages.

const scalar = z.union([z.string(), z.number(), z.boolean(), z.null()]);

const part = z.strictObject({
  part: z
    .string()
    .check(z.describe('As a check writes it: `$.berths[*].code`, `header etag`, `xml/tides/@quay`.')),
  kinds: z.optional(
    z.array(z.enum(kinds)).check(z.describe('Of these it has to be; any, where nothing is said.')),
  ),
  values: z.optional(z.array(scalar).check(z.describe('One of these it has to be able to be.'))),
});

const answer = z.strictObject({
  status: z.string().check(z.describe('`200`, `4xx`; `any` where no check says which.')),
  reads: z.array(part),
});

const operation = z.strictObject({
  method: z.string(),
  target: z.string().check(z.describe('As it counts from the base: `/berths/{berth}`.')),
  sends: z.strictObject({
    query: z.optional(z.array(z.string())),
    headers: z.optional(z.array(z.string())),
    body: z.optional(z.array(z.string()).check(z.describe('Members of a JSON body: `$.nights`.'))),
  }),
  answers: z.array(answer),
  by: z.array(z.string()).check(z.describe('The cases that rely on it.')),
});

export const contractSchema = z.strictObject({
  format: z.literal('mervok-contract'),
  version: z.literal(1),
  consumer: z.string().check(z.describe('Whoever relies on it: the title of the collection.')),
  operations: z.array(operation),
  notFollowed: z
    .array(z.strictObject({ case: z.string(), target: z.string() }))
    .check(z.describe('Requests whose target is known only in a run.')),
});

export type Contract = z.infer<typeof contractSchema>;
export type ContractOperation = z.infer<typeof operation>;
export type ContractPart = z.infer<typeof part>;
export type Scalar = z.infer<typeof scalar>;

/** The JSON Schema (2020-12) of a contract, for programs that read it. */
export function contractJsonSchema(): object {
  return {
    title: 'What the pages of a collection of Mervok rely on',
    ...z.toJSONSchema(contractSchema),
  };
}

/** `GET /berths/{berth}` */
export function operationName({ method, target }: Pick<ContractOperation, 'method' | 'target'>): string {
  return `${method} ${target}`;
}
