import { stringify } from 'yaml';
import type { CiPlan } from './ci-plan.ts';
import { ciSystems } from './systems.ts';

// A part of the bundle of its own, since nothing else writes YAML: what goes in and out is plain data.

/** The configuration of a CI system, as YAML. */
export function writeConfiguration(id: string, plan: CiPlan): string {
  const system = ciSystems.find(each => each.id === id)!;
  const text = stringify(system.configure(plan), { lineWidth: 0, singleQuote: false });
  return `# Runs the API collection by Mervok. Written by: mervok ci ${id}\n${text}`;
}
