#!/usr/bin/env node
// The entry stays small: the version is told without loading anything else.
import { partsOf } from '../platform/compiled-parts.ts';
import { type ProgramKind, tuneProgram } from '../platform/tuning.ts';
import { version } from '../platform/version.ts';

/** What commands do most of their time: send requests, or try out many small things; nothing of that, where they only look. */
const kinds: ReadonlyMap<string | undefined, ProgramKind> = new Map([
  ['run', 'sends'],
  ['demo', 'sends'],
  ['send', 'sends'],
  ['doubt', 'tries'],
] as const);

const given = process.argv.slice(2);
if (given.length === 1 && (given[0] === '--version' || given[0] === '-V')) {
  process.stdout.on('error', () => {
    process.exitCode = 3;
  });
  process.stdout.write(`mervok ${version}\n`);
} else {
  // What V8 compiled under other flags it would not take, so they are set before anything is loaded.
  tuneProgram(kinds.get(given[0]) ?? 'looks');
  const { main } = partsOf(__dirname, require)('./cli-program.cjs') as typeof import('./program.ts');
  void main(given);
}
