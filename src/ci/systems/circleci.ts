import { type CiPlan, installing, merging, reports, running, runningShare, unfailing } from '../ci-plan.ts';
import type { CiSystem } from '../ci-system.ts';

export const circleci: CiSystem = {
  id: 'circleci',
  name: 'CircleCI',
  file: '.circleci/config.yml',
  secrets: 'the environment variables of the project (Project Settings, Environment Variables)',
  configure(plan) {
    const { shards } = plan;
    if (shards === 1)
      return {
        version: 2.1,
        jobs: { api: job(plan, ['checkout', ...runs(plan, running(plan)), ...store]) },
        workflows: { api: { jobs: ['api'] } },
      };
    const index = '$((CIRCLE_NODE_INDEX + 1))';
    const persist = { persist_to_workspace: { root: '.', paths: [reports] } };
    const ownShare = unfailing(runningShare(plan, index, '$CIRCLE_NODE_TOTAL'));
    const share = ['checkout', ...runs(plan, ownShare), ...store, persist];
    const attach = { attach_workspace: { at: '.' } };
    const bare = { ...plan, hasSecretFile: false };
    return {
      version: 2.1,
      jobs: {
        share: { ...job(plan, share), parallelism: shards },
        verdict: job(plan, ['checkout', attach, ...runs(bare, merging(plan)), ...store]),
      },
      workflows: { api: { jobs: ['share', { verdict: { requires: ['share'] } }] } },
    };
  },
};

function job({ folder }: CiPlan, steps: readonly unknown[]) {
  return {
    docker: [{ image: 'cimg/node:22.12' }],
    ...(folder !== undefined && { working_directory: `~/project/${folder}` }),
    steps:
      folder === undefined
        ? steps
        : steps.map(each => (each === 'checkout' ? { checkout: { path: '~/project' } } : each)),
  };
}

function runs(plan: CiPlan, lines: readonly string[]) {
  // Global packages belong to another user there.
  const install = installing(plan).map(line => line.replace(/^npm install/, 'sudo npm install'));
  return [
    { run: { name: 'Install', command: install.join('\n') } },
    { run: { name: 'Run', command: lines.join('\n') } },
  ];
}

const store = [{ store_test_results: { path: reports } }, { store_artifacts: { path: reports } }];
