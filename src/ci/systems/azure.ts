import {
  type CiPlan,
  installing,
  merging,
  pathIn,
  reports,
  running,
  runningShare,
  secretsOf,
} from '../ci-plan.ts';
import type { CiSystem } from '../ci-system.ts';

export const azure: CiSystem = {
  id: 'azure',
  name: 'Azure Pipelines',
  file: 'azure-pipelines.yml',
  secrets: 'the variables of the pipeline, kept secret (Edit, Variables)',
  configure(plan) {
    const { shards } = plan;
    const pool = { vmImage: 'ubuntu-latest' };
    const all = [...begin(plan), script(plan, running(plan)), ...end(plan, 'mervok')];
    if (shards === 1) return { trigger: ['*'], pool, steps: all };
    const share = [
      ...begin(plan),
      script(plan, runningShare(plan, '$(System.JobPositionInPhase)', '$(System.TotalJobsInPhase)')),
      ...end(plan, 'shard-$(System.JobPositionInPhase)'),
    ];
    const download = {
      task: 'DownloadPipelineArtifact@2',
      inputs: { itemPattern: '**/shard-*.ndjson', targetPath: pathIn(plan, 'shares') },
    };
    const gather = `mkdir -p ${reports} && find shares -name 'shard-*.ndjson' -exec mv {} ${reports} ';'`;
    const verdict = [
      ...begin({ ...plan, hasSecretFile: false }),
      download,
      script({ ...plan, variables: [], hasSecretFile: false }, [gather, ...merging(plan)]),
      ...end(plan, 'mervok'),
    ];
    return {
      trigger: ['*'],
      pool,
      jobs: [
        {
          job: 'share', // Its schema takes every scalar for a text.
          strategy: { parallel: String(shards) },
          steps: share,
        },
        { job: 'verdict', dependsOn: 'share', condition: 'always()', steps: verdict },
      ],
    };
  },
};

function begin(plan: CiPlan) {
  return [
    { task: 'NodeTool@0', inputs: { versionSpec: '22.x' } },
    script({ ...plan, variables: [] }, installing(plan)),
  ];
}

/** A secret is there only for steps that name it. */
function script(plan: CiPlan, lines: readonly string[]) {
  const names = secretsOf(plan);
  return {
    script: lines.join('\n'),
    ...(plan.folder !== undefined && { workingDirectory: plan.folder }),
    ...(names.length > 0 && { env: Object.fromEntries(names.map(name => [name, `$(${name})`])) }),
  };
}

function end(plan: CiPlan, name: string) {
  return [
    {
      task: 'PublishTestResults@2',
      condition: 'always()',
      inputs: { testResultsFormat: 'JUnit', testResultsFiles: `${pathIn(plan, reports)}/*.xml` },
    },
    {
      task: 'PublishPipelineArtifact@1',
      condition: 'always()',
      inputs: { targetPath: pathIn(plan, reports), artifact: name },
    },
  ];
}
