import { type Finding, finding } from '../model/finding.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { operationKindOf } from '../steps/kinds.ts';
import { demandsOfQuery } from '../steps/query/query.ts';
import type { MachineNeed, Permission } from '../steps/step.ts';
import { askedTables } from './case-names.ts';
import type { CollectionCase } from './collection.ts';

// What cases ask of the machine that they run on, and of the person who runs them.

export interface Machine {
  /** What allows something, as a remedy; nothing where it is allowed. */
  refuses?(permission: Permission): Promise<string | undefined>;
  /** That something is not there, as a sentence; nothing where it is. */
  lacks?(need: MachineNeed): Promise<string | undefined>;
}

/** Steps that cannot be carried out here, or that nobody has allowed. */
export async function findingsOfMachine(
  cases: Iterable<CollectionCase>,
  { refuses, lacks }: Machine,
): Promise<Finding[]> {
  const findings: Finding[] = [];
  for (const each of cases) {
    for (const table of askedTables(each.page, each.written.each)) {
      const { needs } = demandsOfQuery(table, mergeLevels(each.page.levels));
      const missing = needs && (await lacks?.(needs));
      const at = { source: each.page.page.source, range: table.databaseRange };
      if (missing !== undefined) findings.push(finding('step-impossible', at, missing));
    }
    for (const step of each.written.steps) {
      const kind = operationKindOf(step);
      if (!kind?.demands) continue;
      const { permission, needs } = kind.demands(step, mergeLevels(each.levels));
      const at = { source: each.page.page.source, range: step.range };
      const missing = needs && (await lacks?.(needs));
      if (missing !== undefined) findings.push(finding('step-impossible', at, missing));
      const refused = permission && missing === undefined ? await refuses?.(permission) : undefined;
      if (refused === undefined) continue;
      const message = `\`${kind.title(step)}\` runs programs, or reaches files of a machine, which nobody has allowed.`;
      findings.push(
        finding('step-refused', at, message, `${refused}. Or leave it out: --without ${each.address}`),
      );
    }
  }
  return findings;
}
