import { inWords } from '../../text/words.ts';
import type { ApiDefinition } from '../api.ts';
import { type Located, Unresolved } from '../document/document-set.ts';
import { isJsonObject, type Json, members } from '../document/json.ts';
import { patternOf } from '../schemas/convert-schema.ts';
import { eachSchema } from './each-schema.ts';
import type { Rule } from './rule.ts';

/** Patterns that no engine can read. */
export const patternsRule: Rule = (api, report) => {
  eachSchema(api, ({ value, document }) => {
    const { pattern } = value;
    if (typeof pattern === 'string' && !patternOf(pattern))
      report(
        'definition-form',
        { located: { value, document }, key: 'pattern' },
        `/${pattern}/ is no pattern (ECMA-262).`,
      );
  });
};

/** Members that have to be there and are described nowhere: most likely slips. */
export const requiredRule: Rule = (api, report) => {
  // What is made of others may get its members from them.
  const parts = new Set<Json>();
  eachSchema(api, ({ value, document }) => {
    for (const keyword of ['allOf', 'anyOf', 'oneOf', 'then', 'else', 'if', 'not'])
      for (const each of [value[keyword]].flat()) {
        if (!isJsonObject(each)) continue;
        parts.add(each);
        const target = api.documents.resolve({ value: each, document });
        if (!(target instanceof Unresolved)) parts.add(target.value);
      }
  });
  eachSchema(api, located => {
    const { required } = located.value;
    if (!Array.isArray(required) || parts.has(located.value)) return;
    const described = describedMembers(api, located);
    if (!described) return;
    const unknown = required.filter(name => typeof name === 'string' && !described.has(name)) as string[];
    if (unknown.length === 0) return;
    report(
      'definition-required',
      { located, key: 'required' },
      `${inWords(unknown.map(each => `'${each}'`))} ${unknown.length === 1 ? 'has' : 'have'} to be there, and ${unknown.length === 1 ? 'is' : 'are'} described nowhere.`,
      described.size === 0
        ? undefined
        : `There ${described.size === 1 ? 'is' : 'are'} ${inWords([...described].slice(0, 12))}.`,
    );
  });
};

/** The members of an object that a schema describes; nothing where it takes any, or is no object. */
function describedMembers(
  api: ApiDefinition,
  located: Located,
  names = new Set<string>(),
  seen = new Set<Json>(),
): Set<string> | undefined {
  const target = api.documents.resolve(located);
  if (target instanceof Unresolved || !isJsonObject(target.value)) return undefined;
  if (seen.has(target.value)) return names;
  seen.add(target.value);
  const schemas = target.value === located.value ? [target] : [target, located];
  for (const { value, document } of schemas) {
    if (!isJsonObject(value)) continue;
    if (isJsonObject(value.patternProperties) || isJsonObject(value.additionalProperties)) return undefined;
    for (const [name] of members(value.properties)) names.add(name);
    for (const keyword of ['allOf', 'anyOf', 'oneOf', 'then', 'else'])
      for (const each of [value[keyword]].flat())
        if (isJsonObject(each) && !describedMembers(api, { value: each, document }, names, seen))
          return undefined;
  }
  return names;
}

/** Texts, lists and numbers without a limit, which a server has to set somewhere. */
export const limitsRule: Rule = (api, report) => {
  eachSchema(api, located => {
    const { value } = located;
    const types = [value.type].flat();
    const isText = types.includes('string') && value.enum === undefined && value.const === undefined;
    if (isText && value.maxLength === undefined && value.format === undefined && value.pattern === undefined)
      report(
        'definition-limit',
        { located, key: 'type' },
        'This text may be of any length: it has no maxLength.',
      );
    if (types.includes('array') && value.maxItems === undefined)
      report(
        'definition-limit',
        { located, key: 'type' },
        'This list may be of any length: it has no maxItems.',
      );
  });
};
