import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { createConnection } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestContext } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { closedPort } from './server.ts';
import { serverFiles } from './tls.ts';

// Database servers of Debian's packages: on loopback, in a folder of their own, as an ordinary user, for one test file.

export interface DatabaseServer {
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly database: string;
  /** Where it keeps what it is made of. */
  readonly folder: string;
  stop(signal?: NodeJS.Signals): Promise<void>;
}

/** Servers refuse to be run by root. */
const ordinary = process.getuid?.() === 0 ? userIds() : {};

function userIds(): { uid?: number; gid?: number } {
  for (const name of ['postgres', 'mysql', 'nobody']) {
    const [uid, gid] = ['-u', '-g'].map(which =>
      spawnSync('id', [which, name], { encoding: 'utf8' }).stdout.trim(),
    );
    if (uid) return { uid: Number(uid), gid: Number(gid) };
  }
  return {};
}

function ownFolder(test: Pick<TestContext, 'after'>): string {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-db-'));
  if (ordinary.uid !== undefined) chownSync(folder, ordinary.uid, ordinary.gid!);
  test.after(() => rmSync(folder, { recursive: true, force: true, maxRetries: 5 }));
  return folder;
}

/** Puts what a server signs in with where it may read it: the certificate of the demo harbour, and the authority of its clients. */
function tlsFiles(folder: string): { cert: string; key: string; ca: string } {
  const files = { cert: 'server.pem', key: 'server.key', ca: 'authority.pem' };
  for (const which of ['cert', 'key', 'ca'] as const) {
    const path = join(folder, files[which]);
    copyFileSync(join(serverFiles, files[which]), path);
    chmodSync(path, 0o600);
    if (ordinary.uid !== undefined) chownSync(path, ordinary.uid, ordinary.gid!);
    files[which] = path;
  }
  return files;
}

function runHere(program: string, args: readonly string[], folder: string): void {
  const { status, stdout, stderr } = spawnSync(program, args, {
    ...ordinary,
    cwd: folder,
    encoding: 'utf8',
    env: { PATH: process.env.PATH, LC_ALL: 'C', HOME: folder },
  });
  if (status !== 0) throw new Error(`${program} ${args.join(' ')}: ${stdout}${stderr}`);
}

async function started(child: ChildProcess, port: number, said: () => string): Promise<void> {
  for (let tries = 0; tries < 600; tries++) {
    if (child.exitCode !== null) throw new Error(`The server has ended: ${said()}`);
    const isOpen = await new Promise<boolean>(resolve => {
      const socket = createConnection(port, '127.0.0.1', () => {
        socket.destroy();
        resolve(true);
      });
      socket.on('error', () => resolve(false));
    });
    if (isOpen) return;
    await delay(50);
  }
  throw new Error(`The server does not open port ${port}: ${said()}`);
}

function launch(test: Pick<TestContext, 'after'>, program: string, args: readonly string[], folder: string) {
  const child = spawn(program, args, {
    ...ordinary,
    cwd: folder,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { PATH: process.env.PATH, LC_ALL: 'C', HOME: folder },
  });
  let said = '';
  child.stdout.on('data', chunk => (said += chunk));
  child.stderr.on('data', chunk => (said += chunk));
  const ended = new Promise(resolve => child.once('exit', resolve));
  const stop = async (signal: NodeJS.Signals = 'SIGQUIT') => {
    child.kill(signal);
    await Promise.race([ended, delay(5000)]);
    child.kill('SIGKILL');
  };
  test.after(() => stop());
  return { child, stop, said: () => said };
}

/** Where the programs of PostgreSQL lie; nothing where it is not installed. */
export function postgresPrograms(): string | undefined {
  const root = '/usr/lib/postgresql';
  const [version] = existsSync(root) ? readdirSync(root).sort((a, b) => Number(b) - Number(a)) : [];
  return version !== undefined && existsSync(join(root, version, 'bin/postgres'))
    ? join(root, version, 'bin')
    : undefined;
}

/** A PostgreSQL with a database of the user `clerk`. @param tls whether it wants TLS, and a certificate of the client */
export async function startPostgres(test: Pick<TestContext, 'after'>, tls = false): Promise<DatabaseServer> {
  const programs = postgresPrograms()!;
  const folder = ownFolder(test);
  const port = await closedPort();
  const data = join(folder, 'data');
  const password = 'gull-and-anchor-0417';
  writeFileSync(join(folder, 'password'), password);
  runHere(
    join(programs, 'initdb'),
    [
      '-D',
      data,
      '-U',
      'clerk',
      '--pwfile',
      join(folder, 'password'),
      '--auth=scram-sha-256',
      '-E',
      'UTF8',
      '--no-sync',
    ],
    folder,
  );
  const options = [
    'fsync=off',
    'listen_addresses=127.0.0.1,127.0.0.2',
    `port=${port}`,
    `unix_socket_directories=${folder}`,
    'timezone=Europe/Berlin',
    ...(tls ? postgresTls(folder) : []),
  ];
  const { child, stop, said } = launch(
    test,
    join(programs, 'postgres'),
    ['-D', data, ...options.flatMap(each => ['-c', each])],
    folder,
  );
  await started(child, port, said);
  return { port, user: 'clerk', password, database: 'postgres', folder, stop };
}

function postgresTls(folder: string): string[] {
  const { cert, key, ca } = tlsFiles(folder);
  const access = join(folder, 'access');
  writeFileSync(access, 'hostssl all all 127.0.0.1/32 scram-sha-256 clientcert=verify-ca\n');
  return [
    'ssl=on',
    `ssl_cert_file=${cert}`,
    `ssl_key_file=${key}`,
    `ssl_ca_file=${ca}`,
    `hba_file=${access}`,
  ];
}

export function mariadbPrograms(): string | undefined {
  return ['/usr/sbin/mariadbd', '/usr/local/sbin/mariadbd'].find(existsSync);
}

/** A MariaDB with the database `ledger` of the user `clerk`. @param tls whether it wants TLS, and a certificate of the client */
export async function startMariadb(test: Pick<TestContext, 'after'>, tls = false): Promise<DatabaseServer> {
  const folder = ownFolder(test);
  const port = await closedPort();
  const data = join(folder, 'data');
  const password = 'gull-and-anchor-0417';
  const first = join(folder, 'first.sql');
  mkdirSync(join(folder, 'tmp'));
  if (ordinary.uid !== undefined) chownSync(join(folder, 'tmp'), ordinary.uid, ordinary.gid!);
  writeFileSync(
    first,
    `create database ledger;\ncreate user 'clerk'@'127.0.0.1' identified by '${password}'${tls ? ' require x509' : ''};\ngrant all on *.* to 'clerk'@'127.0.0.1';\n`,
  );
  runHere(
    'mariadb-install-db',
    ['--no-defaults', `--datadir=${data}`, '--auth-root-authentication-method=normal', '--skip-test-db'],
    folder,
  );
  const options = [
    '--no-defaults',
    `--datadir=${data}`,
    '--bind-address=127.0.0.1,127.0.0.2',
    `--port=${port}`,
    `--socket=${join(folder, 's')}`,
    `--tmpdir=${join(folder, 'tmp')}`,
    '--skip-name-resolve',
    `--init-file=${first}`,
    '--innodb-flush-log-at-trx-commit=0',
    '--default-time-zone=+02:00',
    ...(tls ? Object.entries(tlsFiles(folder)).map(([which, path]) => `--ssl-${which}=${path}`) : []),
  ];
  const { child, stop, said } = launch(test, mariadbPrograms()!, options, folder);
  await started(child, port, said);
  return { port, user: 'clerk', password, database: 'ledger', folder, stop };
}

/** A kind of database, as it is tried out. */
export interface DatabaseKind {
  readonly dialect: 'postgres' | 'mariadb' | 'sqlite';
  readonly missing: string | false;
  /** The settings of the database `ledger`. */
  open(t: TestContext): Promise<{ setting: string; server?: DatabaseServer }>;
}

export const address = ({ port, database, user, password }: DatabaseServer, scheme: string) =>
  `{ url: "${scheme}://127.0.0.1:${port}/${database}", user: ${user}, password: "${password}" }`;

export const databaseKinds: readonly DatabaseKind[] = [
  {
    dialect: 'sqlite',
    missing: false,
    open: async () => ({ setting: '{ url: "sqlite:data/ledger.db", create: true }' }),
  },
  {
    dialect: 'postgres',
    missing: postgresPrograms() ? false : 'PostgreSQL is not installed here (.ci/run installs it)',
    async open(t) {
      const server = await startPostgres(t);
      return { server, setting: address(server, 'postgres') };
    },
  },
  {
    dialect: 'mariadb',
    missing: mariadbPrograms() ? false : 'MariaDB is not installed here (.ci/run installs it)',
    async open(t) {
      const server = await startMariadb(t);
      return { server, setting: address(server, 'mariadb') };
    },
  },
];
