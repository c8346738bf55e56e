import { referencesOf } from '../language/templates/template.ts';
import { type Finding, finding } from '../model/finding.ts';
import { UsageError } from '../model/usage-error.ts';
import { statementsOf } from '../pages/page.ts';
import type { Level } from '../settings/level.ts';
import { secretTemplates } from '../settings/transport.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { didYouMean, inWords } from '../text/words.ts';
import type { Collection, CollectionCase } from './collection.ts';
import type { PlannedCase } from './plan.ts';

/** The variables of an environment, those of the secret file over those of the root. */
export function readEnvironment(
  collection: Collection,
  name: string | undefined,
  given: boolean,
  findings: Finding[],
): Map<string, VariableDefinition> {
  const { root, secrets } = collection;
  if (name === undefined) return new Map();
  const known = new Set([...(root.environments?.keys() ?? []), ...(secrets?.environments?.keys() ?? [])]);
  if (!known.has(name)) {
    const message = `There is no environment '${name}'.`;
    const remedy =
      didYouMean(name, known) ??
      (known.size > 0
        ? `There are ${inWords([...known])}.`
        : 'Define it under environments: in mervok.yaml.');
    if (given) throw new UsageError(`${message} ${remedy}`);
    findings.push(finding('environment-unknown', root.source, root.environment!.range, message, remedy));
  }
  return new Map([...(root.environments?.get(name) ?? []), ...(secrets?.environments?.get(name) ?? [])]);
}

/** Names that any level declares secret or signs in with, or that any case keeps as a secret. */
export function secretNamesOf({ root, secrets, pages }: Collection): Set<string> {
  const names = new Set<string>();
  const addFrom = (level: Level | undefined) => {
    for (const variables of [level?.variables, ...(level?.environments?.values() ?? [])]) {
      for (const { name, secret } of variables?.values() ?? []) if (secret) names.add(name);
    }
    for (const template of level?.auth ? secretTemplates(level.auth) : [])
      for (const { name } of referencesOf(template)) names.add(name);
  };
  addFrom(root);
  addFrom(secrets);
  for (const page of pages) {
    page.levels.forEach(addFrom);
    for (const { levels, written } of page.cases) {
      if (levels !== page.levels) levels.forEach(addFrom);
      for (const each of statementsOf(written)) if (each.type === 'keep' && each.secret) names.add(each.name);
    }
  }
  return names;
}

/** Most cases of a page have no settings of their own, and share what those of the page come to. */
export function variablesByLevels(collection: Collection, environment: Map<string, VariableDefinition>) {
  const known = new Map<CollectionCase['levels'], Pick<PlannedCase, 'near' | 'outer'>>();
  const gather = (levels: CollectionCase['levels']) => levels.flatMap(level => [...level.variables]);
  return ({ levels, page }: CollectionCase): Pick<PlannedCase, 'near' | 'outer'> => {
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
