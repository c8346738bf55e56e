// Writes anew what people are told, word by word, as the tests of the core provoke it: test/words.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';

const folder = 'test/words';
rmSync(folder, { recursive: true, force: true });
mkdirSync(folder);
const { status } = spawnSync(process.execPath, ['scripts/test.mjs', 'test/core/'], {
  stdio: ['ignore', 'ignore', 'inherit'],
  env: { ...process.env, MERVOK_WORDS: 'write' },
});
for (const name of readdirSync(folder)) {
  const lines = readFileSync(`${folder}/${name}`, 'utf8').trimEnd().split('\n');
  writeFileSync(`${folder}/${name}`, `${[...new Set(lines)].sort().join('\n')}\n`);
  console.log(`${folder}/${name}: ${lines.length} lines`);
}
if (status !== 0) console.error('Some tests fail all the same: npm test -- core/ tells which.');
process.exit(status);
