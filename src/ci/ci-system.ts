import type { CiPlan } from './ci-plan.ts';

/** A CI system: what its configuration looks like. */
export interface CiSystem {
  /** As the command line calls it. */
  readonly id: string;
  readonly name: string;
  /** Where it looks for its configuration, from the root of the repository. */
  readonly file: string;
  /** Where it keeps secrets, in words. */
  readonly secrets: string;
  /** Its configuration, as the plain objects of YAML. */
  configure(plan: CiPlan): object;
}
