import { isJsonObject, type Json } from './json.ts';

/** What holds data rather than parts of the definition: a `$ref` in it is a member like any other. */
const data: ReadonlySet<string> = new Set(['example', 'examples', 'default', 'enum', 'const', 'value']);
/** What holds parts of the definition by names that anybody may give. */
const named: ReadonlySet<string> = new Set([
  ...['properties', 'patternProperties', 'schemas', 'responses', 'parameters', 'requestBodies', 'headers'],
  ...[
    'definitions',
    'links',
    'callbacks',
    'paths',
    'pathItems',
    'securitySchemes',
    '$defs',
    'dependentSchemas',
  ],
]);

/** Visits every reference of a document, with the object that holds it. */
export function eachReference(root: Json, visit: (holder: Json, reference: string) => void): void {
  const seen = new Set<Json>();
  const walk = (value: Json, isNaming: boolean): void => {
    if (typeof value !== 'object' || value === null || seen.has(value)) return;
    seen.add(value);
    if (Array.isArray(value)) {
      for (const each of value) walk(each, false);
      return;
    }
    for (const [name, each] of Object.entries(value)) {
      if (name === '$ref' && typeof each === 'string' && !isNaming) visit(value, each);
      else if (isNaming || !(data.has(name) && !holdsReferences(name, each)))
        walk(each, named.has(name) && !isNaming);
    }
  };
  walk(root, false);
}

/** Named examples may be references themselves. */
function holdsReferences(name: string, value: Json): boolean {
  return (
    name === 'examples' &&
    isJsonObject(value) &&
    Object.values(value).some(each => isJsonObject(each) && typeof each.$ref === 'string')
  );
}
