import { loadSchemas } from '../../language/documents/schema.ts';
import type { Code, Finding } from '../../model/finding.ts';
import type { ApiDefinition } from '../api.ts';
import { circlesRule } from './circle-rule.ts';
import { exampleRule } from './example-rule.ts';
import { operationIdsRule, parametersRule, pathsRule } from './path-rules.ts';
import { errorsRule, noExampleRule, noSchemaRule, proseRule, unusedRule } from './prose-rules.ts';
import { referencesRule } from './reference-rules.ts';
import { type Rule, reporter } from './rule.ts';
import { limitsRule, patternsRule, requiredRule } from './schema-rules.ts';
import { basicRule, credentialsRule, serversRule, unsecuredRule } from './security-rules.ts';
import { loadStandard, standardRule } from './standard-rule.ts';

const rules: readonly Rule[] = [
  standardRule,
  referencesRule,
  parametersRule,
  operationIdsRule,
  pathsRule,
  serversRule,
  patternsRule,
  circlesRule,
  requiredRule,
  exampleRule,
  errorsRule,
  noSchemaRule,
  unsecuredRule,
  credentialsRule,
  basicRule,
  proseRule,
  unusedRule,
];

/** Rules that are asked for by name alone. */
const askedFor: ReadonlyMap<Code, Rule> = new Map([
  ['definition-limit', limitsRule],
  ['definition-no-example', noExampleRule],
]);

/** Loads what the rules need. To be awaited before `findingsOfDefinition`. */
export async function loadRules(): Promise<void> {
  await Promise.all([loadSchemas(), loadStandard()]);
}

/**
 * Everything that can be said of a definition.
 * @param asked what is looked for only where the settings ask for it
 */
export function findingsOfDefinition(api: ApiDefinition, asked: ReadonlySet<string> = new Set()): Finding[] {
  const findings: Finding[] = [];
  const report = reporter(findings);
  for (const rule of rules) rule(api, report);
  for (const [code, rule] of askedFor) if (asked.has(code)) rule(api, report);
  return findings;
}
