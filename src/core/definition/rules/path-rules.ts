import { nearest } from '../../text/words.ts';
import { type ApiDefinition, type Operation, operationTitle } from '../api.ts';
import { members } from '../document/json.ts';
import { objectAt } from '../read-common.ts';
import type { DefinitionPlace, Rule } from './rule.ts';

/** Names in braces in a path. */
export function namesInPath(path: string): string[] {
  return [...path.matchAll(/\{([^{}]*)\}/g)].map(([, name]) => name!);
}

/** Parameters of a path that are not declared, or declared and not in it. */
export const parametersRule: Rule = ({ operations }, report) => {
  for (const operation of operations) {
    const inPath = namesInPath(operation.path);
    const declared = operation.parameters.filter(each => each.in === 'path');
    const title = operationTitle(operation);
    for (const name of new Set(inPath)) {
      if (declared.some(each => each.name === name)) continue;
      const near = nearest(
        name,
        declared.map(each => each.name),
      );
      report(
        'definition-parameter',
        placeOfOperation(operation),
        `${title}: the path has a parameter '${name}' that nothing declares.`,
        near === undefined
          ? `A parameter with name: ${name} and in: path declares it.`
          : `Did you mean '${near}'?`,
      );
    }
    for (const { name, located } of declared) {
      if (inPath.includes(name)) continue;
      const near = nearest(name, inPath);
      report(
        'definition-parameter',
        { located, key: 'name' },
        `${title}: the parameter '${name}' is one of the path, which has no {${name}}.`,
        near === undefined ? undefined : `Did you mean '${near}'?`,
      );
    }
  }
};

/** The method, where it is written. */
export function placeOfOperation({ pathItem, method }: Operation): DefinitionPlace {
  return { located: pathItem, key: method.toLowerCase() };
}

/** Two operations that are called the same. */
export const operationIdsRule: Rule = ({ operations }, report) => {
  const first = new Map<string, Operation>();
  for (const operation of operations) {
    const { id } = operation;
    if (id === undefined) continue;
    const other = first.get(id);
    if (!other) first.set(id, operation);
    else if (other.located.value !== operation.located.value)
      report(
        'definition-operation-id',
        { located: operation.located, key: 'operationId' },
        `${operationTitle(operation)} is called '${id}', and so is ${operationTitle(other)}.`,
        'Each operation has an operationId of its own.',
      );
  }
};

type Segments = readonly string[];

/** Two paths that are the same for every request, and two that are for some, where neither goes before the other. */
export const pathsRule: Rule = (api, report) => {
  const paths = objectAt(api.root, 'paths');
  if (!paths) return;
  const written = members(paths.value)
    .map(([path]) => path)
    .filter(path => path.startsWith('/'));
  const alike = new Map<string, string>();
  for (const path of written) {
    const shape = path.replace(/\{[^{}]*\}/g, '{}');
    const first = alike.get(shape);
    if (first === undefined) alike.set(shape, path);
    else
      report(
        'definition-path-twice',
        { located: paths, key: path },
        `'${path}' and '${first}' are the same but for the names of their parameters.`,
        'Put the operations of both below one of them.',
      );
  }
  for (const [path, other] of ambiguous([...alike.values()], api))
    report(
      'definition-overlap',
      { located: paths, key: path },
      `A request may be for '${path}' and for '${other}' alike, and neither is the more exact one.`,
    );
};

/** Pairs of templates that some request fits both of, where each has a fixed part in place of a parameter of the other. */
function* ambiguous(paths: readonly string[], api: ApiDefinition): Generator<[string, string]> {
  const methodsOf = new Map<string, Set<string>>();
  for (const { path, method } of api.operations)
    methodsOf.set(path, (methodsOf.get(path) ?? new Set()).add(method));
  const byLength = new Map<number, { path: string; segments: Segments }[]>();
  for (const path of paths) {
    const segments = path.split('/').slice(1);
    // Without a parameter there is nothing that could be for another path.
    if (!segments.some(isTemplate)) continue;
    const alike = byLength.get(segments.length) ?? [];
    for (const other of alike.slice(-2000)) {
      const shared = [...(methodsOf.get(path) ?? [])].some(each => methodsOf.get(other.path)?.has(each));
      if (shared && overlap(segments, other.segments)) yield [path, other.path];
    }
    alike.push({ path, segments });
    byLength.set(segments.length, alike);
  }
}

function overlap(one: Segments, other: Segments): boolean {
  let [oneFixed, otherFixed] = [false, false];
  for (let index = 0; index < one.length; index++) {
    const [a, b] = [isTemplate(one[index]!), isTemplate(other[index]!)];
    if (!a && !b && one[index] !== other[index]) return false;
    if (!a && b) oneFixed = true;
    if (a && !b) otherFixed = true;
  }
  return oneFixed && otherFixed;
}

function isTemplate(segment: string): boolean {
  return /^\{[^{}]*\}$/.test(segment);
}
