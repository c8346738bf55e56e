import { referencesOf } from '../language/templates/template.ts';
import { type Finding, finding } from '../model/finding.ts';
import { UsageError } from '../model/usage-error.ts';
import type { Level } from '../settings/level.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { isSecretKeep } from '../steps/keep/keep.ts';
import { didYouMean, inWords } from '../text/words.ts';
import type { Collection, CollectionCase } from './collection.ts';
import type { Flow } from './flow.ts';
import type { PlannedVariables } from './plan.ts';

export interface ChosenEnvironment {
  readonly name: string | undefined;
  /** Those of the secret file over those of the root. */
  readonly variables: ReadonlyMap<string, VariableDefinition>;
  readonly findings: readonly Finding[];
}

/** The environment that was asked for, else the one that the settings name. Throws UsageError. */
export function chooseEnvironment(
  { root, secrets }: Collection,
  asked: string | undefined,
): ChosenEnvironment {
  const name = asked ?? root.environment?.name;
  if (name === undefined) return { name, variables: new Map(), findings: [] };
  const known = new Set([...(root.environments?.keys() ?? []), ...(secrets?.environments?.keys() ?? [])]);
  const findings: Finding[] = [];
  if (!known.has(name)) {
    const message = `There is no environment '${name}'.`;
    const remedy =
      didYouMean(name, known) ??
      (known.size > 0
        ? `There are ${inWords([...known])}.`
        : 'Define it under environments: in mervok.yaml.');
    if (asked !== undefined) throw new UsageError(`${message} ${remedy}`);
    findings.push(
      finding(
        'environment-unknown',
        { source: root.source, range: root.environment!.range },
        message,
        remedy,
      ),
    );
  }
  const variables = new Map([
    ...(root.environments?.get(name) ?? []),
    ...(secrets?.environments?.get(name) ?? []),
  ]);
  return { name, variables, findings };
}

/** The variables that cases use. */
export function usedVariables(cases: Iterable<CollectionCase>, flow: Flow): Set<VariableDefinition> {
  const definitions = new Set<VariableDefinition>();
  for (const each of cases)
    for (const { binding } of flow.boundUses(each))
      if (binding?.from === 'variable') definitions.add(binding.definition);
  return definitions;
}

/** Names that any level declares secret or signs in with, or that any case keeps as a secret. */
export function secretNamesOf({ root, secrets, pages }: Collection): Set<string> {
  const names = new Set<string>();
  const addFrom = (level: Level | undefined) => {
    for (const variables of [level?.variables, ...(level?.environments?.values() ?? [])]) {
      for (const { name, secret } of variables?.values() ?? []) if (secret) names.add(name);
    }
    const templates = [
      ...(level?.auth?.secretTemplates ?? []),
      level?.transport.tls?.parts.passphrase,
      ...[...(level?.databases.values() ?? [])].map(each => each?.password),
    ];
    for (const template of templates)
      for (const { name } of template ? referencesOf(template) : []) names.add(name);
  };
  addFrom(root);
  addFrom(secrets);
  for (const page of pages) {
    page.levels.forEach(addFrom);
    for (const { levels, written } of page.cases) {
      if (levels !== page.levels) levels.forEach(addFrom);
      for (const step of written.steps) if (isSecretKeep(step)) names.add(step.name);
    }
  }
  return names;
}

/** Most cases of a page have no settings of their own, and share what those of the page come to. */
export function variablesByLevels(
  collection: Collection,
  environment: ReadonlyMap<string, VariableDefinition>,
) {
  const known = new Map<CollectionCase['levels'], PlannedVariables>();
  const gather = (levels: CollectionCase['levels']) => levels.flatMap(level => [...level.variables]);
  return ({ levels, page }: Pick<CollectionCase, 'levels' | 'page'>): PlannedVariables => {
    let variables = known.get(levels);
    if (!variables) {
      const isNear = (level: Level) => level.source === page.page.source;
      variables = {
        near: new Map(gather(levels.filter(isNear))),
        outer: new Map([
          ...gather(levels.filter(level => !isNear(level))),
          ...(collection.secrets?.variables ?? []),
          ...environment,
        ]),
      };
      known.set(levels, variables);
    }
    return variables;
  };
}
