import type { Ports } from '../core/runner/ports.ts';
import type { CommandPort } from '../core/steps/command/command-port.ts';
import type { QueryPort } from '../core/steps/query/query-port.ts';
import type { ScriptPort } from '../core/steps/script/script-port.ts';
import { readJson, writeJson } from '../core/values/json-document.ts';
import { readNumber } from '../core/values/number.ts';
import { elapsed, longestTimer } from './clock.ts';
import {
  clockAndRandom,
  clockAndRandomFrom,
  openExternalSources,
  osEnvironment,
} from './external-sources.ts';
import type { FilePlaces } from './file-places.ts';
import { Jar } from './http/cookies.ts';
import { createHttpDriver, type HttpDriver, type HttpDriverOptions } from './http/driver.ts';
import { loadClient } from './http/load.ts';
import type { Databases } from './query/databases.ts';
import type { ScriptThreads } from './script/script-threads.ts';

async function sleep(milliseconds: number, signal: AbortSignal): Promise<void> {
  const { setTimeout: delay } = await import('node:timers/promises');
  const end = elapsed() + milliseconds;
  for (let left = milliseconds; left > 0 && !signal.aborted; left = end - elapsed())
    await delay(Math.min(longestTimer, left), undefined, { signal }).catch(() => undefined);
}

interface Closable {
  close(): Promise<void>;
}

/** What sends requests is loaded where there is one. */
function lazyHttp(options: HttpDriverOptions): HttpDriver & { ready(): Promise<HttpDriver> } {
  let driver: Promise<HttpDriver> | undefined;
  const ready = () => {
    driver ??= createHttpDriver(options);
    return driver;
  };
  return {
    ready,
    send: async (request, signal) => (await ready()).send(request, signal),
    close: async () => (await driver)?.close(),
  };
}

/** The threads of scripts are loaded where there is one. */
function lazyScripts(): ScriptPort & Closable & { prepare(): void } {
  let threads: Promise<ScriptThreads> | undefined;
  const open = () => {
    threads ??= import('./script/script-threads.ts').then(({ ScriptThreads }) => new ScriptThreads());
    return threads;
  };
  return {
    prepare: () => void open().then(each => each.prepare()),
    run: async (script, signal) => (await open()).run(script, signal),
    close: async () => (await threads)?.close(),
  };
}

/** What asks databases is loaded where there is a query. */
function lazyQueries(places: FilePlaces): QueryPort & Closable {
  let databases: Promise<Databases> | undefined;
  const open = () => {
    databases ??= import('./query/databases.ts').then(
      ({ Databases }) => new Databases(places, { readNumber, readJson, writeJson }),
    );
    return databases;
  };
  return {
    run: async (query, signal) => (await open()).run(query, signal),
    rows: async (query, columns, signal) => (await open()).rows(query, columns, signal),
    close: async () => (await databases)?.close(),
  };
}

/** What runs commands is loaded where there is one. */
function lazyCommands(root: string): CommandPort {
  const loaded = () => import('./command/run-command.ts');
  return { run: async (command, signal) => (await loaded()).runCommand(command, root, signal) };
}

/**
 * Everything outside made real: the network, the clock, the environment of the process.
 * @param kinds of steps that will be carried out: what takes a while to be ready for them begins with that now
 */
export async function openPorts(
  places: FilePlaces,
  kinds: ReadonlySet<string>,
  seed?: string,
): Promise<Ports & Closable> {
  const sending = lazyHttp({ ...places, environment: osEnvironment, now: clockAndRandom.now, sleep });
  const scripts = lazyScripts();
  const queries = lazyQueries(places);
  // Before a thread starts: while it does, V8 takes nothing that it compiled for the program.
  if (kinds.has('http')) await loadClient();
  if (kinds.has('script')) scripts.prepare();
  const http = kinds.has('http') ? await sending.ready() : sending;
  return {
    // What reaches out, by the kind of operation.
    operations: {
      http: { send: http.send, openPage: Jar.from },
      command: lazyCommands(places.root),
      query: queries,
      script: scripts,
    },
    close: async () => {
      await Promise.all([sending.close(), queries.close(), scripts.close()]);
    },
    ...clockAndRandom,
    clockAndRandomFor: clockAndRandomFrom(seed),
    elapsed,
    sleep,
    external: openExternalSources(places),
  };
}
