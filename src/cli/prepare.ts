import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { buildPlan } from '../core/plan/build.ts';
import { readCollection } from '../core/plan/collection.ts';
import type { Plan } from '../core/plan/plan.ts';
import { type Finding, sortFindings } from '../core/text/finding.ts';
import { Plain, type Value } from '../core/values/value.ts';
import { findCollection } from '../drivers/files.ts';
import type { FilePlaces } from '../drivers/http/outgoing.ts';
import { countFindings, findingsText } from '../reports/findings.ts';
import { createMeasure } from '../reports/style.ts';
import { UsageMistake } from './exit.ts';
import type { Terminal } from './terminal.ts';

export interface PlanFlags {
  readonly env?: string;
  readonly set?: readonly string[];
  readonly filesAnywhere?: boolean;
}

/** From the paths on the command line to a plan and everything that was found on the way. */
export async function preparePlan(
  paths: readonly string[],
  flags: PlanFlags,
): Promise<{ plan: Plan; findings: Finding[]; root: string; places: FilePlaces; cases: number }> {
  const found = findCollection(paths, process.cwd());
  const collection = await readCollection(found.files);
  const { plan, findings } = await buildPlan(collection, {
    paths: found.paths,
    ...(flags.env !== undefined && { environment: flags.env }),
    given: readGiven(flags.set ?? []),
    hasFile: path => existsSync(resolve(found.root, path)),
  });
  const cases = plan.pages.reduce((sum, page) => sum + page.cases.length, 0);
  return {
    plan,
    findings: sortFindings(findings),
    root: found.root,
    places: { root: found.root, anywhere: flags.filesAnywhere === true },
    cases,
  };
}

function readGiven(pairs: readonly string[]): Map<string, Value> {
  return new Map(
    pairs.map(pair => {
      const at = pair.indexOf('=');
      const name = at < 0 ? pair : pair.slice(0, at);
      if (at < 0 || !/^[A-Za-z][A-Za-z0-9_-]*$/.test(name))
        throw new UsageMistake(`'${pair}' is not of the form NAME=VALUE. For example: --set nights=3`);
      return [name, new Plain(pair.slice(at + 1))];
    }),
  );
}

/** A value given for nothing is most likely a slip; it does not keep anything from being run. */
export function noteUnusedGiven({ unusedGiven }: Plan, { err }: Terminal): void {
  for (const name of unusedGiven) {
    err(
      `--set ${name} has no effect: no case that runs uses '${name}', or an earlier case of its page gives the value.\n`,
    );
  }
}

/** Prints findings to standard error, and how many there are. */
export async function printFindings(
  findings: readonly Finding[],
  { err, paintErr, width }: Terminal,
): Promise<void> {
  const measure = await createMeasure(findings.map(each => each.source.text));
  err(`${findingsText(findings, paintErr, width, measure)}\n${countFindings(findings)}\n`);
}
