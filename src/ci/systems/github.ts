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

export const github: CiSystem = {
  id: 'github',
  name: 'GitHub Actions',
  file: '.github/workflows/mervok.yml',
  secrets: 'the secrets of the repository (Settings, Secrets and variables, Actions)',
  configure(plan) {
    const { shards } = plan;
    const jobs = shards === 1 ? { api: single(plan) } : { share: share(plan), verdict: verdict(plan) };
    return {
      name: 'API',
      on: { push: {}, pull_request: {} },
      permissions: { contents: 'read' },
      jobs,
    };
  },
};

function single(plan: CiPlan) {
  return { ...around(plan), steps: [...begin, ...run(plan, running(plan)), upload('mervok', plan)] };
}

function share(plan: CiPlan) {
  const { shards } = plan;
  return {
    ...around(plan),
    strategy: {
      'fail-fast': false,
      matrix: { shard: Array.from({ length: shards }, (_, each) => each + 1) },
    },
    steps: [
      ...begin,
      ...run(plan, runningShare(plan, '${{ matrix.shard }}', shards)),
      upload('shard-${{ matrix.shard }}', plan),
    ],
  };
}

function verdict(plan: CiPlan) {
  const download = {
    uses: 'actions/download-artifact@v4',
    with: { pattern: 'shard-*', path: pathIn(plan, reports), 'merge-multiple': true },
  };
  return {
    ...around({ ...plan, variables: [], hasSecretFile: false }),
    needs: 'share',
    if: 'always()',
    steps: [
      ...begin,
      download,
      ...run({ ...plan, hasSecretFile: false }, merging(plan)),
      upload('mervok', plan),
    ],
  };
}

function around(plan: CiPlan) {
  const { folder } = plan;
  const names = secretsOf(plan);
  // biome-ignore lint/style/useTemplate: the braces belong to the system
  const env = Object.fromEntries(names.map(name => [name, '${{ secrets.' + name + ' }}']));
  return {
    'runs-on': 'ubuntu-latest',
    'timeout-minutes': 30,
    ...(names.length > 0 && { env }),
    ...(folder !== undefined && { defaults: { run: { 'working-directory': folder } } }),
  };
}

const begin = [
  { uses: 'actions/checkout@v4' },
  { uses: 'actions/setup-node@v4', with: { 'node-version': 22 } },
];

function run(plan: CiPlan, lines: readonly string[]) {
  return [installing(plan), lines].map(each => ({ run: each.join('\n') }));
}

function upload(name: string, plan: CiPlan) {
  return {
    uses: 'actions/upload-artifact@v4',
    if: 'always()',
    with: { name, path: pathIn(plan, reports) },
  };
}
