// Databases with a table of berths, and the settings that name them: a file of SQLite, and PostgreSQL where Debian's
// package is installed, as in the tests.
import { mkdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import pg from 'pg';
import { folder, later } from './measure.mjs';

const berths = 400_000;
const table = 'create table berths (id integer primary key, quay text, depth numeric, state integer)';
const columns = "n, 'North Quay', 4.2, n % 2";

export function sqlite() {
  const Database = createRequire(import.meta.url)('libsql');
  const file = 'queries/ledger.db';
  mkdirSync(join(folder, 'queries'), { recursive: true });
  const database = new Database(join(folder, file));
  database.exec(table);
  database.exec(
    `with recursive counted(n) as (select 1 union all select n + 1 from counted where n < ${berths}) insert into berths select ${columns} from counted`,
  );
  database.close();
  return { settings: `{ url: "sqlite:ledger.db" }`, bare: ['sqlite', join(folder, file)] };
}

export async function postgres() {
  const { postgresPrograms, startPostgres } = await serversOfTests();
  if (!postgresPrograms()) return undefined;
  const { port, user, password, database } = await startPostgres({ after: later });
  const client = new pg.Client({ host: '127.0.0.1', port, user, password, database });
  await client.connect();
  await client.query(table);
  await client.query(`insert into berths select ${columns} from generate_series(1, ${berths}) n`);
  await client.end();
  const url = `postgres://127.0.0.1:${port}/${database}`;
  return {
    settings: `{ url: "${url}", user: ${user}, password: "${password}" }`,
    bare: ['postgres', port, user, password, database].map(String),
  };
}

async function serversOfTests() {
  const outfile = join(folder, 'databases.mjs');
  const root = dirname(dirname(fileURLToPath(import.meta.url)));
  await build({
    entryPoints: [join(root, 'test/support/databases.ts')],
    ...{ outfile, bundle: true, platform: 'node', format: 'esm', logLevel: 'error' },
  });
  return import(pathToFileURL(outfile));
}
