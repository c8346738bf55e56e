import assert from 'node:assert/strict';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { test } from 'node:test';
import { Command } from 'commander';
import { defects } from '../demo/harbour/defects.ts';
import { commands as commandsOf } from '../src/cli/commands.ts';
import { contractJsonSchema } from '../src/core/contract/contract.ts';
import { functions } from '../src/core/language/functions/table.ts';
import { codes } from '../src/core/model/finding.ts';
import { recordSchema } from '../src/core/record/record-schema.ts';
import { settings } from '../src/core/settings/table.ts';
import { patterns } from '../src/core/suggest/patterns/index.ts';
import { endings } from '../src/reports/endings.ts';

/** Options that every command shares are explained once. */
const common = ['--no-color', '--env', '--set', '--vars', '--files-anywhere'];

const text = (file: string) => readFileSync(file, 'utf8');
const language = text('docs/language.md');

test('every code is explained, and nothing else is', () => {
  const explained = [...text('docs/findings.md').matchAll(/^### (.+)$/gm)].map(([, code]) => code!);
  assert.deepEqual(explained.toSorted(), Object.keys(codes).sort());
  const warnings = text('docs/findings.md').split('## Warnings')[1]!;
  for (const [code, severity] of Object.entries(codes))
    assert.equal(warnings.includes(`### ${code}\n`), severity === 'warning', code);
});

test('the functions that the reference lists are those that there are', () => {
  const [, table] = /^## Functions$([\s\S]*?)^```/m.exec(language)!;
  const cells = [...table!.matchAll(/^\| (.*?) \|/gm)].map(([, cell]) => cell!);
  const listed = cells.flatMap(cell => [...cell.matchAll(/`([a-z\d]+)\(/g)].map(([, name]) => name!));
  assert.deepEqual([...new Set(listed)].sort(), Object.keys(functions).sort());
});

test('the settings that the reference lists are those that there are, as the table of settings says', () => {
  const [, section = ''] = /^## Settings$([\s\S]*?)^#{2,3} /m.exec(language)!;
  const rows = [...section.matchAll(/^\| `([a-z-]+)` \| (.*) \|$/gm)].map(
    ([, key, docs]) => [key!, docs!] as const,
  );
  assert.deepEqual(
    rows.toSorted(([a], [b]) => (a < b ? -1 : 1)),
    settings.map(({ key, docs }) => [key, docs] as const).toSorted(([a], [b]) => (a < b ? -1 : 1)),
  );
});

test('commands, defects and reports are those that there are', () => {
  const commands = text('docs/commands.md');
  for (const name of Object.keys(defects)) assert.ok(commands.includes(`\`${name}\``), name);
  for (const ending of endings) assert.ok(commands.includes(`| \`${ending}\` |`), ending);
});

test('the published schema of the record is that of the code', () => {
  assert.equal(
    text('docs/record.schema.json'),
    `${JSON.stringify(recordSchema(), undefined, 2)}\n`,
    'npm run schema writes it anew',
  );
});

test('the published schema of contracts is that of the code', () => {
  assert.equal(
    text('docs/contract.schema.json'),
    `${JSON.stringify(contractJsonSchema(), undefined, 2)}\n`,
    'npm run schema writes it anew',
  );
});

test('the forms that checks are proposed by are all explained, in their order', () => {
  const [, section = ''] = /^## suggest$([\s\S]*?)^## doubt$/m.exec(text('docs/trust.md')) ?? [];
  const rows = [...section.matchAll(/^\| `([^`]+)` \|/gm)].map(([, name]) => name);
  assert.deepEqual(
    rows,
    patterns.map(({ name }) => name),
  );
});

test('every option that a command has is explained', async () => {
  const commands = text('docs/commands.md');
  for (const [name, describe] of Object.entries(commandsOf)) {
    const { options } = describe(new Command(name));
    const [, section = ''] =
      new RegExp(`^## ${name}$([\\s\\S]*?)(?=^## |$(?![\\s\\S]))`, 'm').exec(commands) ?? [];
    for (const { long } of options)
      assert.ok(section.includes(`${long}`) || common.includes(long!), `${name} ${long}`);
  }
});

test('every link inside the documentation leads somewhere', () => {
  const files = [
    'README.md',
    'CONTRIBUTING.md',
    'CHANGELOG.md',
    'bench/README.md',
    ...readdirSync('docs')
      .filter(file => file.endsWith('.md'))
      .map(file => join('docs', file)),
  ];
  for (const file of files) {
    for (const [, target] of text(file)
      .replace(/^(`{3,})[\s\S]*?^\1$/gm, '')
      .matchAll(/\]\(([^)\s#]+)[^)]*\)/g)) {
      if (/^https?:/.test(target!)) continue;
      assert.ok(existsSync(join(dirname(file), target!)), `${file}: ${target}`);
    }
  }
});

test('every screenshot is shown in the README, and every one shown is there', () => {
  const shown = [...text('README.md').matchAll(/docs\/screenshots\/([\w-]+\.png)/g)].map(([, name]) => name!);
  assert.deepEqual([...new Set(shown)].sort(), readdirSync('docs/screenshots').sort());
});
