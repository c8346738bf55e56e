import { type Finding, finding } from '../model/finding.ts';
import { operationKindOf } from '../steps/kinds.ts';
import type { OperationKind, Permission, WrittenStep } from '../steps/step.ts';
import type { CollectionCase } from './collection.ts';

// What cases ask of the machine that they run on, and of the person who runs them.

export interface Machine {
  /** Why something is not allowed, and what allows it, as a remedy; nothing where it is. */
  refuses?(permission: Permission): Promise<string | undefined>;
  /** What is not there that a kind of step needs, as a sentence; by the name of the kind. */
  lacks?(kind: string): Promise<string | undefined>;
}

interface LocalStep {
  readonly step: WrittenStep;
  readonly kind: OperationKind;
  readonly each: CollectionCase;
}

/** Steps that cannot be carried out here, or that nobody has allowed. */
export async function findingsOfMachine(
  cases: Iterable<CollectionCase>,
  { refuses, lacks }: Machine,
): Promise<Finding[]> {
  const findings: Finding[] = [];
  const local = localSteps(cases);
  for (const kind of new Set(local.map(each => each.kind))) {
    const missing = await lacks?.(kind.type);
    const refused = missing === undefined ? await refuses?.(kind.permission!) : undefined;
    for (const { step, each } of local.filter(other => other.kind === kind)) {
      const at = { source: each.page.page.source, range: step.range };
      if (missing !== undefined) findings.push(finding('step-impossible', at, missing));
      if (refused === undefined) continue;
      const message = `\`${kind.title(step)}\` would run on this machine, which nobody has allowed.`;
      findings.push(
        finding('step-refused', at, message, `${refused}. Or leave it out: --without ${each.address}`),
      );
    }
  }
  return findings;
}

/** Of most collections there are none. */
function localSteps(cases: Iterable<CollectionCase>): LocalStep[] {
  const found: LocalStep[] = [];
  for (const each of cases)
    for (const step of each.written.steps) {
      const kind = operationKindOf(step);
      if (kind?.permission) found.push({ step, kind, each });
    }
  return found;
}
