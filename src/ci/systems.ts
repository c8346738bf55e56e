import type { CiSystem } from './ci-system.ts';
import { azure } from './systems/azure.ts';
import { bitbucket } from './systems/bitbucket.ts';
import { buildkite } from './systems/buildkite.ts';
import { circleci } from './systems/circleci.ts';
import { github } from './systems/github.ts';
import { gitlab } from './systems/gitlab.ts';

export const ciSystems: readonly CiSystem[] = [github, gitlab, azure, circleci, bitbucket, buildkite];
