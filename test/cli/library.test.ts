import assert from 'node:assert/strict';
import { execFile, execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { test } from 'node:test';
import { promisify } from 'node:util';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { serve } from '../support/server.ts';

const run = promisify(execFile);

/** The program that the documentation shows. */
const documented = /```ts\n(.*?)```/s.exec(readFileSync('docs/library.md', 'utf8'))![1]!;

const program = `
import { type CaseEvent, openCollection, type RunSummary, UsageError } from 'mervok';

const [folder = '', origin = ''] = process.argv.slice(2);
const collection = await openCollection(folder);
const plan = await collection.plan({ paths: ['berths.md'], variables: { harbour: origin } });
const failed: CaseEvent[] = [];
const summary: RunSummary = await plan.run({ seed: 'high water' }, event => {
  if (event.type === 'case' && event.outcome !== 'passed') failed.push(event);
});
const unknown = await collection.plan({ paths: ['none.md'] }).catch((error: unknown) => error);
const unsound = await collection.plan({ paths: ['unsound.md'] });
const refused = await unsound.run().catch((error: Error) => error.message);
console.log(
  JSON.stringify({
    title: plan.title,
    cases: plan.cases.map(({ address, asked }) => [address, asked]),
    findings: plan.findings.map(({ code, file, line }) => [code, file, line]),
    passed: summary.passed,
    totals: [summary.totals.cases.passed, summary.totals.cases.failed, summary.totals.checks],
    failed: failed.map(event => [event.case, event.status]),
    unknown: unknown instanceof UsageError && unknown.message,
    refused,
  }),
);
`;

test('a program of TypeScript compiles against the types of the package, and runs a collection', async t => {
  const origin = await serve(t, ({ url }, response) => {
    response.writeHead(url === '/berths' ? 200 : 404, { 'Content-Type': 'application/json' });
    response.end('{ "code": "0417" }');
  });
  const settings = 'title: Skerry\nbase: "{harbour}"\nvariables: { harbour: "http://skerry.example" }\n';
  const page =
    caseText('List', 'GET /berths', 'status = 200\nkeep $.code as code') +
    caseText('Read', 'GET /berths/{code}', 'status = 200');
  const folder = folderWith(t, {
    'sound/mervok.yaml': settings,
    'sound/berths.md': page,
    'harbour/mervok.yaml': settings,
    'harbour/berths.md': page,
    'harbour/unsound.md': caseText('Unsound', 'GET /{nothing}', 'status = 200'),
    'tool/package.json': '{ "type": "module" }',
    'tool/tsconfig.json': JSON.stringify({
      compilerOptions: {
        target: 'es2022',
        module: 'nodenext',
        strict: true,
        exactOptionalPropertyTypes: true,
        types: ['node'],
        typeRoots: [resolve('node_modules/@types')],
      },
    }),
    'tool/tool.ts': program,
    'tool/documented.ts': documented,
  });
  // The package as it ships, in a place of its own.
  execFileSync('npm', ['pack', '--ignore-scripts', '--silent', '--pack-destination', folder], {
    stdio: 'ignore',
  });
  const [archive = ''] = readdirSync(folder).filter(file => file.endsWith('.tgz'));
  const modules = join(folder, 'tool/node_modules/mervok');
  mkdirSync(modules, { recursive: true });
  execFileSync('tar', ['-xzf', join(folder, archive), '-C', modules, '--strip-components=1']);
  const tool = join(folder, 'tool');
  const compiled = await run(process.execPath, [
    resolve('node_modules/typescript/bin/tsc'),
    '-p',
    tool,
  ]).catch((error: { stdout: string }) => error);
  assert.equal(compiled.stdout, '');
  const ran = await run(process.execPath, [join(tool, 'tool.js'), join(folder, 'harbour'), origin]);
  assert.deepEqual(JSON.parse(ran.stdout), {
    title: 'Skerry',
    cases: [
      ['berths.md#list', true],
      ['berths.md#read', true],
    ],
    findings: [],
    passed: false,
    totals: [1, 1, 2],
    failed: [['berths.md#read', 404]],
    unknown: "There is no page or folder 'none.md'.",
    refused: "unsound.md:4: 'nothing' has no value anywhere.",
  });
  const shown = await run(process.execPath, [join(tool, 'documented.js'), join(folder, 'sound'), origin]);
  assert.equal(shown.stdout, 'berths.md#read failed\nnot passed 2\n');
  assert.equal(shown.stderr, '');
});
