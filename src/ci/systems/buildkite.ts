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

export const buildkite: CiSystem = {
  id: 'buildkite',
  name: 'Buildkite',
  file: '.buildkite/pipeline.yml',
  secrets: 'the environment hook of the agents, or a store of secrets',
  configure(plan) {
    const { shards } = plan;
    if (shards === 1) return { steps: [step('API', plan, running(plan))] };
    // A dollar sign is doubled where the agent is to have it.
    const share = runningShare(plan, '$((BUILDKITE_PARALLEL_JOB + 1))', '$BUILDKITE_PARALLEL_JOB_COUNT');
    const path = pathIn(plan, reports);
    const download = `buildkite-agent artifact download '${path}/shard-*.ndjson' ${plan.folder === undefined ? '.' : '"$OLDPWD"'}`;
    return {
      steps: [
        { ...step('Share', plan, share), parallelism: shards, soft_fail: [{ exit_status: 1 }] },
        { wait: null, continue_on_failure: true },
        step('Verdict', { ...plan, hasSecretFile: false }, [download, ...merging(plan)]),
      ],
    };
  },
};

function step(label: string, plan: CiPlan, lines: readonly string[]) {
  const all = [...entering(plan), ...installing(plan), ...lines];
  return {
    label,
    commands: all.map(line => line.replaceAll('$', '$$$$')),
    artifact_paths: [`${pathIn(plan, reports)}/**/*`],
  };
}
