import { type Finding, finding } from '../model/finding.ts';
import type { Range, Source } from '../model/source.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { operationKindOf } from '../steps/kinds.ts';
import { demandsOfQuery } from '../steps/query/query.ts';
import type { Demands, MachineNeed, Permission } from '../steps/step.ts';
import { askedTables } from './case-names.ts';
import type { CollectionCase } from './collection.ts';

// What cases ask of the machine that they run on, and of the person who runs them.

export interface Machine {
  /** What allows something, as a remedy; nothing where it is allowed. */
  refuses?(permission: Permission): Promise<string | undefined>;
  /** That something is not there, as a sentence; nothing where it is. */
  lacks?(need: MachineNeed): Promise<string | undefined>;
}

/** What is known of the files of a collection, by their paths from its root. */
export interface KnownFiles {
  /** Whether there is a file. */
  readonly hasFile?: (path: string) => boolean;
  /** Why one that is there must not be used. */
  readonly refusesFile?: (path: string) => string | undefined;
}

interface Demand extends Demands {
  readonly source: Source;
  readonly range: Range;
  /** What it is that asks, in a line. */
  readonly title: string;
}

/** Steps, and rows of tables, that cannot be carried out here, or that nobody has allowed. */
export async function findingsOfMachine(
  cases: Iterable<CollectionCase>,
  { machine = {}, hasFile, refusesFile }: KnownFiles & { readonly machine?: Machine },
): Promise<Finding[]> {
  const findings: Finding[] = [];
  for (const each of cases)
    for (const { source, range, title, needs, permission, file } of demandsOf(each)) {
      const at = { source, range };
      // One that is not there yet may be made by then.
      const refusal = file && hasFile?.(file.path) ? refusesFile?.(file.path) : undefined;
      if (refusal !== undefined) findings.push(finding('file-missing', file!, refusal));
      const missing = needs && (await machine.lacks?.(needs));
      if (missing !== undefined) findings.push(finding('step-impossible', at, missing));
      const refused = permission && missing === undefined ? await machine.refuses?.(permission) : undefined;
      if (refused === undefined) continue;
      const message = `\`${title}\` runs programs, or reaches files of a machine, which nobody has allowed.`;
      findings.push(
        finding('step-refused', at, message, `${refused}. Or leave it out: --without ${each.address}`),
      );
    }
  return findings;
}

function* demandsOf({ page, levels, written }: CollectionCase): Generator<Demand> {
  const { source } = page.page;
  for (const table of askedTables(page, written.each)) {
    // Rows reach no files of a machine, whoever allows it.
    const { permission: _permission, ...demands } = demandsOfQuery(table, mergeLevels(page.levels));
    yield { ...demands, source, range: table.databaseRange, title: '' };
  }
  for (const step of written.steps) {
    const kind = operationKindOf(step);
    if (!kind?.demands) continue;
    yield { ...kind.demands(step, mergeLevels(levels)), source, range: step.range, title: kind.title(step) };
  }
}
