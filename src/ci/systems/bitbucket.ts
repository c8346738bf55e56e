import { type CiPlan, installing, merging, reports, running, runningShare } from '../ci-plan.ts';
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

/** The verdict is that of all shares. */
function unfailing(lines: readonly string[]): string[] {
  return lines.map(line => `${line} || [ $? -eq 1 ]`);
}

function step(name: string, plan: CiPlan, lines: readonly string[]) {
  const { folder } = plan;
  const path = folder === undefined ? reports : `${folder}/${reports}`;
  return {
    step: {
      name,
      script: [...(folder === undefined ? [] : [`cd ${folder}`]), ...installing(plan), ...lines],
      artifacts: [`${path}/**`],
    },
  };
}
