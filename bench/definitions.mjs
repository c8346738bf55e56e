// Definitions of APIs that are measured with, and the commands that read them.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { dump } from 'js-yaml';

const text = length => 'Where vessels lie, and for how much. '.repeat(length);
const json = schema => ({ 'application/json': { schema } });
const at = name => ({ $ref: `#/components/schemas/${name}` });

/** A schema with so many members of several kinds. */
function resource(count, number) {
  const kinds = [
    { type: 'string', minLength: 1, maxLength: 80, description: text(1) },
    { type: 'integer', minimum: 0, maximum: 500, example: 7 },
    { type: 'string', enum: ['free', 'taken', 'closed'] },
    { type: 'array', maxItems: 20, items: at(`Berth${(number + 7) % 200}`) },
    { type: 'string', format: 'date-time', nullable: true },
  ];
  const properties = Object.fromEntries(
    Array.from({ length: count }, (_, each) => [`member${each}`, kinds[each % kinds.length]]),
  );
  return { type: 'object', required: ['member0', 'member1'], properties };
}

/** An operation of each kind for so many resources: create, list, read, change, delete. */
function definition(resources, members) {
  const paths = {};
  const schemas = {};
  for (let each = 0; each < resources; each++) {
    const own = resource(members, each);
    schemas[`Berth${each}`] = resource(10, each);
    const says = { tags: [`Quay ${each % 40}`], description: text(4) };
    const failure = { description: 'What was wrong.', content: json(at('Problem')) };
    const id = { name: 'id', in: 'path', required: true, schema: { type: 'string', format: 'uuid' } };
    const answer = status => ({ [status]: { description: text(2), content: json(own) }, default: failure });
    const operation = (name, more) => ({
      operationId: `${name}${each}`,
      summary: `${name} ${each}`,
      ...says,
      ...more,
    });
    paths[`/quays/${each}/berths`] = {
      post: operation('create', {
        requestBody: { required: true, content: json(own) },
        responses: answer('201'),
      }),
      get: operation('list', {
        responses: {
          200: { description: text(1), content: json({ type: 'array', maxItems: 99, items: own }) },
          default: failure,
        },
      }),
    };
    paths[`/quays/${each}/berths/{id}`] = {
      parameters: [id],
      get: operation('read', { responses: answer('200') }),
      patch: operation('change', {
        requestBody: { required: true, content: json(own) },
        responses: answer('200'),
      }),
      delete: operation('remove', { responses: { 204: { description: 'Gone.' }, default: failure } }),
    };
  }
  schemas.Problem = {
    type: 'object',
    required: ['title'],
    properties: { title: { type: 'string', maxLength: 200 } },
  };
  return {
    openapi: '3.0.3',
    info: { title: 'Skerry Harbour', version: '1', description: text(1) },
    servers: [{ url: 'https://harbour.skerry.example' }],
    paths,
    components: { schemas },
  };
}

/** Writes a definition of a thousand operations and about five megabytes into a folder, in both notations. */
export function large(folder) {
  mkdirSync(join(folder, 'api'), { recursive: true });
  const yaml = join(folder, 'api', 'large.yaml');
  const inJson = join(folder, 'api', 'large.json');
  writeFileSync(yaml, dump(definition(200, 22), { noRefs: true }));
  writeFileSync(inJson, JSON.stringify(definition(200, 22), null, 1));
  return { yaml, json: inJson };
}

const berth = {
  type: 'object',
  required: ['code', 'quay', 'depth', 'state', 'deposit'],
  properties: {
    code: { type: 'string', pattern: '^\\d{4}$' },
    quay: { type: 'string' },
    depth: { type: 'number', minimum: 0 },
    state: { enum: ['free', 'taken'] },
    deposit: { type: 'integer' },
  },
};

/** What the server answers, described. */
export const berths = {
  openapi: '3.1.0',
  info: { title: 'Skerry Harbour', version: '1' },
  paths: {
    '/berths/{code}': {
      get: {
        parameters: [{ name: 'code', in: 'path', required: true, schema: { type: 'string' } }],
        responses: { 200: { description: 'One berth and those beside it.', content: json(at('Answer')) } },
      },
    },
  },
  components: {
    schemas: {
      Answer: {
        type: 'object',
        required: ['number', 'id', 'name', 'open', 'depth', 'berths'],
        properties: {
          number: { type: 'integer' },
          id: { type: 'integer' },
          name: { type: 'string' },
          open: { type: 'boolean' },
          depth: { type: 'number' },
          berths: { type: 'array', items: at('Berth') },
        },
      },
      Berth: berth,
    },
  },
};
