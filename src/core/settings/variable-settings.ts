import type { Node } from 'yaml';
import { SourceError } from '../model/finding.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import { namedPairs } from './named-pairs.ts';
import type { Setting, SettingReader } from './setting.ts';
import type { VariableDefinition } from './variable-definition.ts';
import { VariableReader } from './variable-reader.ts';

// Settings that give names their values.

const variables: Setting = {
  key: 'variables',
  reach: 'every',
  schema: ({ z }) => z.record(z.string(), z.unknown()),
  hint: 'Variables are names and values: nights: 2',
  docs: 'named values',
  read: (node, reader) => ({ variables: readVariables(node, reader, `from ${reader.name}`) }),
};

const environments: Setting = {
  key: 'environments',
  reach: 'root',
  schema: ({ z }) => z.record(z.string(), z.nullable(z.record(z.string(), z.unknown()))),
  hint: 'Each environment is a name with its variables: local: { harbour: "http://127.0.0.1:7070" }',
  docs: 'at the root only: named sets of variables',
  read(node, reader) {
    if (!reader.libraries.isMap(node)) return {};
    return {
      environments: new Map(
        reader.pairs(node).map(({ key, value }) => {
          const name = reader.keyText(key);
          return [name, readVariables(value ?? undefined, reader, `from environment ${name}`)];
        }),
      ),
    };
  },
};

const environment: Setting = {
  key: 'environment',
  reach: 'root',
  schema: ({ scalar }) => scalar,
  docs: 'at the root only: the one that counts if none is chosen',
  read: (node, reader) =>
    reader.libraries.isScalar(node) && node.value !== null
      ? { environment: { name: String(node.value), range: rangeOf(node, reader.excerpt) } }
      : {},
};

function readVariables(
  node: Node | undefined,
  reader: SettingReader,
  origin: string,
): Map<string, VariableDefinition> {
  const variables = new Map<string, VariableDefinition>();
  const variableReader = new VariableReader(reader, origin, reader.kind === 'secrets');
  for (const { name, value, range } of namedPairs(node, reader, 'variable')) {
    try {
      variables.set(name, { ...variableReader.read(name, value), range });
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      reader.addError(error);
    }
  }
  return variables;
}

export const variableSettings: readonly Setting[] = [variables, environments, environment];
