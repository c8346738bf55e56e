#!/usr/bin/env node
// The entry stays small: the version is told without loading anything else.
import { partsOf } from '../platform/compiled-parts.ts';
import { tuneProgram } from '../platform/tuning.ts';
import { version } from '../platform/version.ts';

/** Commands that send requests. */
const sending = new Set<string | undefined>(['run', 'demo', 'send']);

const given = process.argv.slice(2);
if (given.length === 1 && (given[0] === '--version' || given[0] === '-V')) {
  process.stdout.on('error', () => {
    process.exitCode = 3;
  });
  process.stdout.write(`mervok ${version}\n`);
} else {
  // What V8 compiled under other flags it would not take, so they are set before anything is loaded.
  tuneProgram(sending.has(given[0]));
  const { main } = partsOf(__dirname, require)('./cli-program.cjs') as typeof import('./program.ts');
  void main(given);
}
