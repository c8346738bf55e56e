import * as z from 'zod/mini';

// A schema is used once or twice in a run; making code of it first takes longer than using it.
z.config({ jitless: true });

const scalar = z.union([z.string(), z.number(), z.boolean(), z.bigint()]);
const variables = z.record(z.string(), z.unknown());
const amount = z.union([z.string(), z.number()]);
const optional = <Schema extends z.core.SomeType>(schema: Schema) => z.optional(z.nullable(schema));

/** The keys of every level. A value that is null takes away what an outer level has set. */
const everyLevel = {
  title: optional(scalar),
  base: optional(z.string()),
  headers: optional(z.record(z.string(), z.nullable(scalar))),
  query: optional(z.record(z.string(), z.nullable(z.union([scalar, z.array(scalar)])))),
  /** Its form is that of `authSchema`, unless it is `none`. */
  auth: optional(z.union([z.literal('none'), z.record(z.string(), z.unknown())])),
  variables: optional(variables),
  checks: optional(z.string()),
  timeout: optional(
    z.union([
      amount,
      z.strictObject({
        connect: z.optional(amount),
        answer: z.optional(amount),
        total: z.optional(amount),
      }),
    ]),
  ),
  redirects: optional(z.int().check(z.minimum(0), z.maximum(100))),
  cookies: optional(z.boolean()),
  tls: optional(
    z.strictObject({
      ca: z.optional(z.string()),
      cert: z.optional(z.string()),
      key: z.optional(z.string()),
      verify: z.optional(z.boolean()),
    }),
  ),
  proxy: optional(z.string()),
  retry: optional(
    z.union([
      z.literal('none'),
      z.strictObject({
        times: z.optional(z.int().check(z.minimum(0), z.maximum(100))),
        every: z.optional(amount),
        on: z.optional(z.array(amount)),
      }),
    ]),
  ),
  limits: optional(
    z.strictObject({
      body: z.optional(amount),
      record: z.optional(amount),
      head: z.optional(amount),
    }),
  ),
  namespaces: optional(z.record(z.string(), z.nullable(z.string()))),
  tags: optional(z.array(scalar)),
  needs: optional(z.array(z.string())),
  internal: optional(z.boolean()),
};

/** A page, and what holds for pages, may run for each row of a table. */
const everyPage = { ...everyLevel, rows: optional(z.string()) };

const everyFolder = { ...everyPage, order: optional(z.array(scalar)) };

const account = z.strictObject({ user: scalar, password: scalar });

/** The form of `auth`. That one kind is given, and one alone, is seen to by its reader. */
export const authSchema = z.strictObject({
  bearer: z.optional(scalar),
  basic: z.optional(account),
  digest: z.optional(account),
  'api-key': z.optional(
    z.strictObject({ name: scalar, value: scalar, in: z.optional(z.enum(['header', 'query', 'cookie'])) }),
  ),
  oauth2: z.optional(
    z.strictObject({
      flow: z.enum(['client-credentials', 'password', 'refresh-token']),
      'token-url': scalar,
      'client-id': scalar,
      'client-secret': z.optional(scalar),
      'client-auth': z.optional(z.enum(['basic', 'body', 'none'])),
      scope: z.optional(scalar),
      audience: z.optional(scalar),
      user: z.optional(scalar),
      password: z.optional(scalar),
      'refresh-token': z.optional(scalar),
    }),
  ),
});

const root = z.strictObject({
  ...everyFolder,
  environments: optional(z.record(z.string(), z.nullable(variables))),
  environment: optional(scalar),
  redact: optional(
    z.strictObject({ headers: z.optional(z.array(z.string())), paths: z.optional(z.array(z.string())) }),
  ),
  bounds: optional(z.string()),
  apdex: optional(amount),
});

/** The settings of each kind of level. */
export const levelSchemas = {
  root,
  secrets: root,
  folder: z.strictObject(everyFolder),
  page: z.strictObject(everyPage),
  case: z.strictObject(everyLevel),
};
