import {
  type CiPlan,
  entering,
  installing,
  merging,
  pathIn,
  reports,
  running,
  runningShare,
} from '../ci-plan.ts';
import type { CiSystem } from '../ci-system.ts';

export const gitlab: CiSystem = {
  id: 'gitlab',
  name: 'GitLab CI/CD',
  file: '.gitlab-ci.yml',
  secrets: 'the variables of the project, masked (Settings, CI/CD, Variables)',
  configure(plan) {
    const { shards } = plan;
    if (shards === 1)
      return { stages: ['test'], api: { ...job(plan, running(plan), 'mervok.xml'), stage: 'test' } };
    return {
      stages: ['test', 'verdict'],
      share: {
        ...job(plan, runningShare(plan, '$CI_NODE_INDEX', '$CI_NODE_TOTAL'), 'shard-*.xml'),
        stage: 'test',
        parallel: shards,
        // The verdict is that of all shares.
        allow_failure: { exit_codes: [1] },
      },
      verdict: {
        ...job({ ...plan, hasSecretFile: false }, merging(plan), 'mervok.xml'),
        stage: 'verdict',
        when: 'always',
      },
    };
  },
};

function job(plan: CiPlan, lines: readonly string[], junit: string) {
  return {
    image: 'node:22',
    script: [...entering(plan), ...installing(plan), ...lines],
    artifacts: {
      when: 'always',
      paths: [pathIn(plan, `${reports}/`)],
      reports: { junit: pathIn(plan, `${reports}/${junit}`) },
    },
  };
}
