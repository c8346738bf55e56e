import type { DefinitionDocument } from '../document/document.ts';
import { Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json } from '../document/json.ts';
import type { Rule } from './rule.ts';

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

/** References that lead nowhere, or out of what may be read. */
export const referencesRule: Rule = ({ documents }, report) => {
  const done = new Set<DefinitionDocument>();
  for (;;) {
    const next = documents.documents.find(each => !done.has(each));
    if (!next) return;
    done.add(next);
    eachReference(next.value, (holder, reference) => {
      const place = { located: { value: holder, document: next }, key: '$ref' };
      const target = documents.target(reference, next);
      if (target instanceof Unresolved) report('definition-reference', place, target.reason, target.remedy);
      else {
        const end = documents.resolve({ value: holder, document: next });
        if (end instanceof Unresolved && /circle/.test(end.reason))
          report('definition-reference', place, end.reason, 'One of them has to say something itself.');
      }
    });
  }
};

function eachReference(root: Json, visit: (holder: Json, reference: string) => void): void {
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
