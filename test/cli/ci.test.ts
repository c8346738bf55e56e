import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { test } from 'node:test';
import { Ajv } from 'ajv';
import AjvDraft4 from 'ajv-draft-04';
import addFormats from 'ajv-formats';
import { parse } from 'yaml';
import { ciSystems } from '../../src/ci/systems.ts';
import { fence, pageOf } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok, program } from '../support/program.ts';
import { serve } from '../support/server.ts';

const schemas = join(
  dirname(createRequire(import.meta.url).resolve('schemastore/package.json')),
  'schemas/json',
);

/** The schema that each system publishes, in the package that gathers them. */
const schemaOf: { readonly [id: string]: string } = {
  github: 'github-workflow.json',
  gitlab: 'gitlab.com/gitlab-org/gitlab/-/raw/master/app/assets/javascripts/editor/schema/ci.json',
  azure: 'raw.githubusercontent.com/microsoft/azure-pipelines-vscode/master/service-schema.json',
  circleci: 'circleciconfig.json',
  bitbucket: 'bitbucket.org/atlassianlabs/atlascode/raw/main/resources/schemas/pipelines-schema.json',
  buildkite: 'raw.githubusercontent.com/buildkite/pipeline-schema/main/schema.json',
};

function errorsBy(file: string, value: unknown): string {
  const schema = JSON.parse(readFileSync(join(schemas, file), 'utf8')) as { $schema?: string };
  const options = { strict: false, allErrors: true, logger: false as const, unicodeRegExp: false };
  const ajv = /draft-04/.test(schema.$schema ?? '')
    ? new (AjvDraft4 as never as typeof Ajv)(options)
    : new Ajv(options);
  addFormats.default(ajv as never);
  const { $schema: _, ...rest } = schema;
  const validate = ajv.compile(rest);
  return validate(value) ? '' : ajv.errorsText(validate.errors).slice(0, 600);
}

const settings = `base: "{harbour}/v1"
definition: harbour.yaml
variables: { harbour: { os: SKERRY_HARBOUR }, password: { os: SKERRY_PASSWORD, secret: true } }
environments: { staging: { harbour: "https://staging.skerry.example" } }
`;
const definition = 'openapi: 3.1.0\ninfo: { title: Harbour, version: "1" }\npaths: {}\n';
const page = pageOf([
  [
    'A',
    fence('http', 'GET /berths\nX-Key: {password}\nX-Office: {office}') + fence('mervok', 'status = 200'),
  ],
]);

const repository = (t: Parameters<typeof folderWith>[0]) => {
  const folder = folderWith(t, {
    'api/mervok.yaml': settings,
    'api/mervok.secret.yaml': 'variables: { office: harbour-master }\n',
    'api/harbour.yaml': definition,
    'api/berths.md': page,
    'api/.gitignore': 'mervok.secret.yaml\n',
  });
  mkdirSync(join(folder, '.git'));
  return folder;
};

test('each system gets a configuration that its published schema finds sound, alone and with shards', async t => {
  const folder = repository(t);
  for (const { id, file } of ciSystems)
    for (const more of [[], ['--shards', '4', '@staging', '--at-least', '80 %']]) {
      const { out, err, code } = await mervok(join(folder, 'api'), ['ci', id, ...more, '-o', '-']);
      assert.deepEqual([code, err], [0, ''], id);
      assert.equal(errorsBy(schemaOf[id]!, parse(out)), '', `${id} ${more}\n${out}`);
      for (const needed of [
        /npm install --global mervok@/,
        /mervok run/,
        /-o reports\/mervok\.html -o reports\/mervok\.xml -o reports\/mervok\.md/,
        /mervok coverage/,
        /MERVOK_SECRET_YAML/,
      ])
        assert.match(out, needed, id);
      if (more.length === 0) assert.doesNotMatch(out, /--shard/);
      else
        for (const needed of [/--shard/, /report --merge --verdict/, /--at-least '80 %'/, /@staging/])
          assert.match(out, needed, id);
      assert.ok(!existsSync(join(folder, file)));
    }
});

test('a configuration is written once, where the system looks for it, and its secrets are named', async t => {
  const folder = repository(t);
  const { out } = await mervok(join(folder, 'api'), ['ci', 'github']);
  assert.match(
    out,
    /^written {2}\.\.\/\.github\/workflows\/mervok\.yml\n\nWhat GitHub Actions keeps as the secrets of the repository/,
  );
  assert.match(
    out,
    /^ {2}SKERRY_HARBOUR\n {2}SKERRY_PASSWORD\n {2}MERVOK_SECRET_YAML, the text of mervok\.secret\.yaml$/m,
  );
  const text = readFileSync(join(folder, '.github/workflows/mervok.yml'), 'utf8');
  assert.match(text, /working-directory: api/);
  const again = await mervok(join(folder, 'api'), ['ci', 'github']);
  assert.deepEqual([again.code, /is there already; nothing was written/.test(again.err)], [2, true]);
  assert.equal(readFileSync(join(folder, '.github/workflows/mervok.yml'), 'utf8'), text);
  // Where the environment gives a value, nobody has to keep it.
  assert.doesNotMatch(
    (await mervok(join(folder, 'api'), ['ci', 'gitlab', '@staging'])).out,
    /SKERRY_HARBOUR/,
  );
  mkdirSync(join(folder, 'quay pages'));
  writeFileSync(join(folder, 'quay pages', 'mervok.yaml'), '{}\n');
  writeFileSync(join(folder, 'quay pages', 'a.md'), '## A\n\n```http\nGET http://127.0.0.1:9/\n```\n');
  for (const id of ['gitlab', 'bitbucket', 'buildkite'])
    assert.match((await mervok(join(folder, 'quay pages'), ['ci', id, '-o', '-'])).out, /cd 'quay pages'/);
  const list = (await mervok(folder, ['ci'])).out;
  for (const { id, name } of ciSystems) assert.ok(list.includes(id) && list.includes(name));
  for (const [args, told] of [
    [['ci', 'gitlba'], /No CI system is called 'gitlba' here\. Did you mean 'gitlab'\?/],
    [['ci', 'github', '--shards', '0'], /--shards takes a whole number from 1 to 64/],
  ] as const) {
    const { code, err } = await mervok(join(folder, 'api'), args);
    assert.deepEqual([code, told.test(err)], [2, true], err);
  }
});

test('the lines of a configuration do what they say: shares, one verdict, one report', async t => {
  const origin = await serve(t, (request, response) =>
    response.writeHead(request.url === '/b' ? 500 : 200, { 'Content-Type': 'application/json' }).end('{}'),
  );
  const request = (path: string) =>
    pageOf([['A', fence('http', `GET ${path}`) + fence('mervok', 'status = 200')]]);
  const folder = folderWith(t, {
    'mervok.yaml': 'base: "{harbour}"\nvariables: { harbour: { os: SKERRY_HARBOUR } }\n',
    'a.md': request('/a'),
    'b.md': request('/b'),
    'bin/mervok': `#!/bin/sh\nexec ${process.execPath} ${program} "$@"\n`,
    'bin/npm': '#!/bin/sh\nexit 0\n',
  });
  for (const name of ['mervok', 'npm']) chmodSync(join(folder, 'bin', name), 0o755);
  mkdirSync(join(folder, '.git'));
  const shell = (lines: readonly string[], more: { [name: string]: string } = {}) =>
    spawnShell(lines.join('\n'), folder, {
      PATH: `${folder}/bin:${process.env.PATH}`,
      SKERRY_HARBOUR: origin,
      ...more,
    });
  const { out } = await mervok(folder, ['ci', 'gitlab', '--shards', '2', '-o', '-']);
  const { share, verdict } = parse(out) as { [job: string]: { script: string[] } };
  const codes = [];
  for (const index of ['1', '2'])
    codes.push(await shell(share!.script, { CI_NODE_INDEX: index, CI_NODE_TOTAL: '2' }));
  assert.deepEqual(codes.toSorted(), [0, 1]);
  assert.equal(await shell(verdict!.script), 1);
  assert.match(readFileSync(join(folder, 'reports/mervok.md'), 'utf8'), /Failed: 1 case of 2/);
  for (const ending of ['html', 'xml']) assert.ok(existsSync(join(folder, `reports/mervok.${ending}`)));
  const alone = parse((await mervok(folder, ['ci', 'github', 'a.md', '-o', '-'])).out) as {
    jobs: { api: { steps: { run?: string }[] } };
  };
  assert.equal(await shell(alone.jobs.api.steps.flatMap(({ run }) => run ?? [])), 0);
});

/** The exit code of lines that a shell carries out until one fails. */
function spawnShell(
  lines: string,
  cwd: string,
  environment: { [name: string]: string },
): Promise<number | null> {
  const child = spawn('sh', ['-ec', lines], {
    cwd,
    env: { ...process.env, ...environment },
    stdio: 'ignore',
  });
  return new Promise(ended => child.on('close', ended));
}

/** What a server answers that wants to be obeyed by a CI system. */
const commands =
  '::error::stolen\n  ::add-mask::x\n##[group]x\n##vso[task.setvariable variable=a]b\n##teamcity[buildStop]\n--- a\nsection_start:1:x';

test('in a CI system failures stand at their places, and nothing that comes is a command', async t => {
  const origin = await serve(t, (_, response) =>
    response.writeHead(200, { 'Content-Type': 'text/plain', 'X-A': '::set-output name=a::b' }).end(commands),
  );
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': pageOf([
      ['A % case', fence('http', 'GET /') + fence('mervok', 'status = 201\nbody = "x"\nheader x-a = "y"')],
    ]),
  });
  const github = {
    CI: 'true',
    GITHUB_ACTIONS: 'true',
    GITHUB_WORKSPACE: folder,
    GITHUB_STEP_SUMMARY: join(folder, 'summary.md'),
    TF_BUILD: undefined as never,
  };
  for (const args of [
    ['run'],
    ['run', '--verbose'],
    ['run', '--only-failures'],
    ['run', '--quiet'],
    ['run', '--json'],
  ]) {
    const { out, err, code } = await mervok(folder, args, github);
    assert.equal(code, 1);
    const told = err.split('\n').filter(line => line.startsWith('::'));
    assert.deepEqual(
      told.map(line => /^::error file=berths\.md,line=\d+,title=berths\.md#a--case::/.test(line)),
      [true, true, true],
      err,
    );
    assert.match(told[0]!, /::status = 201: expected 201, found 200$/);
    assert.match(told[1]!, /%0A/.test(told[1]!) ? /%0A/ : /expected/);
    for (const line of [...out.split('\n'), ...err.split('\n').filter(each => !told.includes(each))])
      assert.doesNotMatch(line, /^\s*::|##(?:\[|vso\[|teamcity\[)|^--- |^section_start:/, args.join(' '));
    if (args.includes('--json')) for (const line of out.trimEnd().split('\n')) JSON.parse(line);
  }
  assert.match(readFileSync(join(folder, 'summary.md'), 'utf8'), /Failed: 1 case/);
  const azure = await mervok(folder, ['run'], {
    TF_BUILD: 'True',
    BUILD_SOURCESDIRECTORY: folder,
    GITHUB_ACTIONS: '',
  });
  assert.match(
    azure.err,
    /^##vso\[task\.logissue type=error;sourcepath=berths\.md;linenumber=\d+\]berths\.md#a--case: status = 201/m,
  );
  assert.match(azure.err, /^##vso\[task\.uploadsummary\]\S+mervok\.md$/m);
  const without = await mervok(folder, ['run', '--no-ci'], github);
  assert.doesNotMatch(without.err, /::/);
});
