import type { ErrorObject } from 'ajv';
import { nearest } from '../../text/words.ts';
import { isJsonObject, type Json } from '../document/json.ts';
import type { DefinitionPlace, Rule } from './rule.ts';

let validators: typeof import('../standard/validators.ts').validators | undefined;

/** Loads the schemas of the standard. To be awaited before `standardRule`. */
export async function loadStandard(): Promise<void> {
  validators ??= (await import('../standard/validators.ts')).validators;
}

/** What is not of the form that the standard's own schema gives. */
export const standardRule: Rule = ({ version, root }, report) => {
  if (!validators) throw new TypeError('loadStandard() comes before standardRule.');
  const validate = validators[version];
  if (validate(root.value)) return;
  const errors = (validate.errors ?? []).filter(({ keyword }) => keyword !== 'if');
  const told = new Set<string>();
  for (const error of errors) {
    if (followsFromAnother(error, errors)) continue;
    const { place, message, remedy } = inWords(error, root.value, root.document);
    const key = `${error.instancePath} ${message}`;
    if (told.has(key)) continue;
    told.add(key);
    report('definition-form', place, message, remedy);
  }
};

/** What is wrong inside of a member makes it seem not described, or keeps all forms from fitting. */
function followsFromAnother(error: ErrorObject, errors: readonly ErrorObject[]): boolean {
  const below = (path: string) =>
    errors.some(each => each !== error && `${each.instancePath}/`.startsWith(`${path}/`));
  if (error.keyword === 'unevaluatedProperties')
    return below(`${error.instancePath}/${escaped(error.params.unevaluatedProperty)}`);
  const isChoice = error.keyword === 'oneOf' || error.keyword === 'anyOf';
  if (error.keyword === 'type')
    // Of several forms the one that is written out is meant.
    return errors.some(each => each.keyword === 'enum' && each.instancePath === error.instancePath);
  return isChoice && below(error.instancePath);
}

function escaped(name: string): string {
  return name.replaceAll('~', '~0').replaceAll('/', '~1');
}

interface Told {
  readonly place: DefinitionPlace;
  readonly message: string;
  readonly remedy?: string;
}

function inWords(
  { instancePath, keyword, params, message }: ErrorObject,
  value: Json,
  document: DefinitionPlace['located']['document'],
): Told {
  const steps = instancePath
    .split('/')
    .slice(1)
    .map(step => step.replaceAll('~1', '/').replaceAll('~0', '~'));
  const at = placeOf(steps, value, document);
  const name = steps.at(-1);
  const what = name === undefined ? 'A definition' : /^\d+$/.test(name) ? 'This' : `'${name}'`;
  switch (keyword) {
    case 'required':
      return {
        place: at,
        message: `${what} has no '${params.missingProperty}', which the standard asks for.`,
      };
    case 'additionalProperties':
    case 'unevaluatedProperties': {
      const extra = String(params.additionalProperty ?? params.unevaluatedProperty);
      const place = { located: { value: at.inside, document }, key: extra };
      const meant = nearest(extra, words);
      return {
        place,
        message: `The standard knows no '${extra}' here.`,
        ...(meant !== undefined && meant !== extra && { remedy: `Did you mean '${meant}'?` }),
      };
    }
    case 'type':
      return {
        place: at,
        message: `${what} has to be ${articles.get(String(params.type)) ?? `of the type ${params.type}`}.`,
      };
    case 'enum':
      return {
        place: at,
        message: `${what} has to be one of ${(params.allowedValues as Json[]).map(each => JSON.stringify(each)).join(', ')}.`,
      };
    case 'const':
      return { place: at, message: `${what} has to be ${JSON.stringify(params.allowedValue)}.` };
    case 'pattern':
      return { place: at, message: `${what} has to match /${params.pattern}/.` };
    case 'oneOf':
    case 'anyOf':
      return { place: at, message: `${what} has none of the forms that the standard gives it.` };
    case 'false schema':
    case 'not':
      return { place: at, message: `${what} cannot stand here as it does.` };
    default:
      return { place: at, message: `${what} ${message}.` };
  }
}

const articles: ReadonlyMap<string, string> = new Map([
  ['object', 'an object'],
  ['array', 'a list'],
  ['string', 'a text'],
  ['boolean', 'true or false'],
  ['number', 'a number'],
  ['integer', 'an integer'],
  ['object,boolean', 'a schema: an object, or true or false'],
]);

function placeOf(
  steps: readonly string[],
  root: Json,
  document: DefinitionPlace['located']['document'],
): DefinitionPlace & { readonly inside: Json } {
  let [holder, value]: [Json, Json] = [root, root];
  for (const step of steps) {
    holder = value;
    value = Array.isArray(value)
      ? (value[Number(step)] ?? null)
      : isJsonObject(value)
        ? (value[step] ?? null)
        : null;
  }
  return { located: { value: holder, document }, key: steps.at(-1), inside: value };
}

/** Words of the standard, for slips. */
const words: readonly string[] = [
  ...[
    'openapi',
    'swagger',
    'info',
    'jsonSchemaDialect',
    'servers',
    'paths',
    'webhooks',
    'components',
    'security',
  ],
  ...[
    'tags',
    'externalDocs',
    'title',
    'summary',
    'description',
    'termsOfService',
    'contact',
    'license',
    'version',
  ],
  ...[
    'url',
    'variables',
    'enum',
    'default',
    'schemas',
    'responses',
    'parameters',
    'examples',
    'requestBodies',
  ],
  ...[
    'headers',
    'securitySchemes',
    'links',
    'callbacks',
    'pathItems',
    'get',
    'put',
    'post',
    'delete',
    'options',
  ],
  ...['head', 'patch', 'trace', 'operationId', 'requestBody', 'deprecated', 'name', 'in', 'required'],
  ...['allowEmptyValue', 'style', 'explode', 'allowReserved', 'schema', 'example', 'content', 'encoding'],
  ...[
    'contentType',
    'value',
    'externalValue',
    'operationRef',
    'server',
    'type',
    'scheme',
    'bearerFormat',
    'flows',
  ],
  ...[
    'openIdConnectUrl',
    'implicit',
    'password',
    'clientCredentials',
    'authorizationCode',
    'authorizationUrl',
  ],
  ...[
    'tokenUrl',
    'refreshUrl',
    'scopes',
    'host',
    'basePath',
    'schemes',
    'consumes',
    'produces',
    'definitions',
  ],
  ...[
    'securityDefinitions',
    'collectionFormat',
    'items',
    'properties',
    'additionalProperties',
    'allOf',
    'anyOf',
  ],
  ...[
    'oneOf',
    'not',
    'format',
    'nullable',
    'readOnly',
    'writeOnly',
    'discriminator',
    'propertyName',
    'mapping',
  ],
  ...['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'minLength', 'maxLength', 'pattern'],
  ...['minItems', 'maxItems', 'uniqueItems', 'minProperties', 'maxProperties', 'multipleOf'],
];
