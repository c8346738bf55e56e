import { operationTitle } from '../api.ts';
import { Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, member, members } from '../document/json.ts';
import { objectAt } from '../read-common.ts';
import { securityOf } from '../security.ts';
import { contentsOf } from './each-schema.ts';
import { placeOfOperation } from './path-rules.ts';
import type { Rule } from './rule.ts';

/** Operations that say nothing of what they do. */
export const proseRule: Rule = ({ operations }, report) => {
  for (const operation of operations)
    if (!operation.summary?.trim() && !operation.description?.trim())
      report(
        'definition-prose',
        placeOfOperation(operation),
        `${operationTitle(operation)} says nothing of what it does: it has neither a summary nor a description.`,
      );
};

/** Operations that seem never to go wrong. */
export const errorsRule: Rule = ({ operations }, report) => {
  for (const operation of operations) {
    const statuses = [...operation.responses.keys()];
    if (statuses.length === 0 || statuses.some(status => /^[45]|^default$/.test(status))) continue;
    report(
      'definition-errors',
      placeOfOperation(operation),
      `${operationTitle(operation)} describes no response for what goes wrong.`,
    );
  }
};

/** Responses that bring something, and do not say what. */
export const noSchemaRule: Rule = ({ operations, version }, report) => {
  for (const operation of operations)
    for (const { status, content, located } of operation.responses.values()) {
      if (!/^2/.test(status) || /^20[45]$/.test(status) || operation.method === 'HEAD') continue;
      const bare = content.find(({ schema }) => schema === undefined);
      // Without any content a response has no body.
      if (version === '2.0' ? content.length > 0 || status === '202' : !bare) continue;
      report(
        'definition-no-schema',
        { located },
        `${operationTitle(operation)}: the response ${status} has no schema${bare ? ` for ${bare.type}` : ''}, so it cannot be held to anything.`,
      );
    }
};

const groups = {
  components: [
    ...['schemas', 'responses', 'parameters', 'examples', 'requestBodies', 'headers', 'links', 'callbacks'],
    'pathItems',
  ],
  root: ['definitions', 'parameters', 'responses'],
};

/** Parts that nothing refers to. */
export const unusedRule: Rule = (api, report) => {
  const { root, version } = api;
  const holder = version === '2.0' ? root : objectAt(root, 'components');
  if (!holder) return;
  const used = usedValues(api);
  for (const group of version === '2.0' ? groups.root : groups.components) {
    const parts = objectAt(holder, group);
    for (const [name, value] of members(parts?.value)) {
      if (typeof value !== 'object' || value === null || used.has(value)) continue;
      report('definition-unused', { located: parts!, key: name }, `Nothing refers to '${name}'.`);
    }
  }
  const wanted = new Set(
    [...(api.security ?? []), ...api.operations.flatMap(each => securityOf(api, each))].flatMap(each => [
      ...each.keys(),
    ]),
  );
  for (const { name } of api.securitySchemes.values()) {
    const schemes = objectAt(holder, version === '2.0' ? 'securityDefinitions' : 'securitySchemes');
    if (!wanted.has(name) && schemes)
      report('definition-unused', { located: schemes, key: name }, `Nothing is secured by '${name}'.`);
  }
};

/** Everything that a reference of what is used leads to, from the operations on. */
function usedValues({ root, documents, version }: Parameters<Rule>[0]): Set<Json> {
  const used = new Set<Json>();
  const walk = (value: Json, document = root.document): void => {
    if (typeof value !== 'object' || value === null || used.has(value)) return;
    used.add(value);
    if (isJsonObject(value)) {
      const references = [
        value.$ref,
        ...members(member(value.discriminator, 'mapping')).map(([, each]) => each),
      ];
      for (const reference of references) {
        if (typeof reference !== 'string') continue;
        const written = /[#/.]/.test(reference) ? reference : `#/components/schemas/${reference}`;
        const target = documents.target(written, document);
        if (!(target instanceof Unresolved)) walk(target.value, target.document);
      }
    }
    for (const each of Object.values(value)) walk(each, document);
  };
  for (const [name, value] of members(root.value)) {
    const holdsParts = version === '2.0' ? groups.root.includes(name) : name === 'components';
    if (!holdsParts) walk(value);
  }
  return used;
}

/** Bodies without an example. */
export const noExampleRule: Rule = ({ operations }, report) => {
  for (const operation of operations)
    for (const { type, schema, examples, located } of contentsOf(operation)) {
      if (examples.length > 0 || !schema) continue;
      const { value } = schema;
      if (member(value, 'example') !== undefined || member(value, 'examples') !== undefined) continue;
      report('definition-no-example', { located }, `${operationTitle(operation)} has no example of ${type}.`);
    }
};
