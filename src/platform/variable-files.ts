import { basename } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import { isObject, kindInWords, kindOf, Plain, type Value } from '../core/model/value.ts';
import { JsonError, readJson } from '../core/values/json-document.ts';
import { readText } from './find-collection.ts';

/**
 * The values in a file of variables: `.env`, `.properties`, JSON or YAML. Texts of the first two, and unquoted scalars of
 * YAML, are plain; a dotted key of properties is a way into an object. Throws UsageError.
 */
export async function readVariableFile(path: string): Promise<Map<string, Value>> {
  const read = readerOf(path);
  if (!read)
    throw new UsageError(
      `'${path}' is no file of variables: there are .env, .properties, .json, .yaml and .yml.`,
    );
  const found = await read(readText(path), path);
  if (!isObject(found))
    throw new UsageError(`'${path}' holds ${kindInWords(kindOf(found))}; names and their values are wanted.`);
  const names = Object.entries(found);
  const odd = names.find(([name]) => !/^[A-Za-z][\w-]*$/.test(name));
  if (odd)
    throw new UsageError(
      `'${path}': '${odd[0]}' cannot name a variable. Names have letters, digits, '-' and '_', a letter first.`,
    );
  return new Map(names);
}

type Reader = (text: string, path: string) => Value | Promise<Value>;

function readerOf(path: string): Reader | undefined {
  const name = basename(path).toLowerCase();
  // `.env`, `.env.local`, `local.env`
  if (/^\.env\.|\.env$/.test(name)) return readEnv;
  if (name.endsWith('.properties')) return readProperties;
  if (name.endsWith('.json')) return readJsonFile;
  return /\.ya?ml$/.test(name) ? readYaml : undefined;
}

async function readEnv(text: string): Promise<Value> {
  const { parseEnv } = await import('./variable-files-library.ts');
  return Object.fromEntries(Object.entries(parseEnv(text)).map(([name, value]) => [name, new Plain(value)]));
}

async function readProperties(text: string, path: string): Promise<Value> {
  const { parseProperties } = await import('./variable-files-library.ts');
  const all: { [name: string]: Value } = {};
  for (const [key, value] of Object.entries(parseProperties(text) as { [key: string]: string })) {
    const steps = key.split('.');
    const last = steps.pop()!;
    let at = all;
    for (const step of steps) {
      at[step] ??= {};
      const next = at[step];
      if (!isObject(next))
        throw new UsageError(`'${path}': '${key}' stands below a key that has a value of its own.`);
      at = next as { [name: string]: Value };
    }
    if (isObject(at[last]))
      throw new UsageError(`'${path}': '${key}' has a value of its own, and keys below it.`);
    at[last] = new Plain(value);
  }
  return all;
}

function readJsonFile(text: string, path: string): Value {
  try {
    return readJson(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    const line = text.slice(0, error.offset).split('\n').length;
    throw new UsageError(`${path}:${line} is no JSON: ${error.message}.`);
  }
}

/** A file of YAML; its unquoted scalars are plain. Throws UsageError. */
export function readYamlFile(path: string): Promise<Value> {
  return readYaml(readText(path), path);
}

async function readYaml(text: string, path: string): Promise<Value> {
  const { isMap, isScalar, isSeq, parseDocument } = await import('../core/settings/libraries.ts');
  const document = parseDocument(text, { prettyErrors: false, uniqueKeys: true });
  const [error] = document.errors;
  if (error) {
    const line = text.slice(0, error.pos[0]).split('\n').length;
    throw new UsageError(`${path}:${line} is no YAML: ${error.message.replace(/\.?$/, '.')}`);
  }
  const valueOfNode = (node: unknown): Value => {
    if (isSeq(node)) return node.items.map(valueOfNode);
    if (isMap(node))
      return Object.fromEntries(
        node.items.map(({ key, value }) => [String(isScalar(key) ? key.value : key), valueOfNode(value)]),
      );
    if (!isScalar(node) || node.value === null) return null;
    return node.type === 'PLAIN' ? new Plain(node.source ?? String(node.value)) : String(node.value);
  };
  return valueOfNode(document.contents);
}
