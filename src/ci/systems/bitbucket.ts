import {
  type CiPlan,
  entering,
  installing,
  merging,
  pathIn,
  reports,
  running,
  runningShare,
  unfailing,
} from '../ci-plan.ts';
import type { CiSystem } from '../ci-system.ts';

export const bitbucket: CiSystem = {
  id: 'bitbucket',
  name: 'Bitbucket Pipelines',
  file: 'bitbucket-pipelines.yml',
  secrets: 'the repository variables, secured (Repository settings, Pipelines)',
  configure(plan) {
    const { shards } = plan;
    const steps =
      shards === 1
        ? [step('API', plan, running(plan))]
        : [
            {
              parallel: Array.from({ length: shards }, (_, each) =>
                step(`Share ${each + 1}`, plan, unfailing(runningShare(plan, String(each + 1), shards))),
              ),
            },
            step('Verdict', { ...plan, hasSecretFile: false }, merging(plan)),
          ];
    return { image: 'node:22', pipelines: { default: steps } };
  },
};

function step(name: string, plan: CiPlan, lines: readonly string[]) {
  return {
    step: {
      name,
      script: [...entering(plan), ...installing(plan), ...lines],
      artifacts: [`${pathIn(plan, reports)}/**`],
    },
  };
}
