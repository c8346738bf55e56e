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
import { createHttpDriver } from './http/driver.ts';
import type { Databases } from './query/databases.ts';
import type { ScriptThreads } from './script/script-threads.ts';

async function sleep(milliseconds: number, signal: AbortSignal): Promise<void> {
  const { setTimeout: delay } = await import('node:timers/promises');
  const end = elapsed() + milliseconds;
  for (let left = milliseconds; left > 0 && !signal.aborted; left = end - elapsed())
    await delay(Math.min(longestTimer, left), undefined, { signal }).catch(() => undefined);
}

/** The threads of scripts are loaded where there is one. */
function lazyScripts(): ScriptPort & { close(): Promise<void> } {
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
function lazyQueries(places: FilePlaces): QueryPort & { close(): Promise<void> } {
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

/** Everything outside made real: the network, the clock, the environment of the process. */
export async function openPorts(
  places: FilePlaces,
  seed?: string,
): Promise<Ports & { close(): Promise<void> }> {
  const http = await createHttpDriver({
    ...places,
    environment: osEnvironment,
    now: clockAndRandom.now,
    sleep,
  });
  const scripts = lazyScripts();
  const queries = lazyQueries(places);
  return {
    // What reaches out, by the kind of operation.
    operations: {
      http: { send: http.send, openPage: Jar.from },
      command: lazyCommands(places.root),
      query: queries,
      script: scripts,
    },
    close: async () => {
      await Promise.all([http.close(), queries.close(), scripts.close()]);
    },
    ...clockAndRandom,
    clockAndRandomFor: clockAndRandomFrom(seed),
    elapsed,
    sleep,
    external: openExternalSources(places.root),
  };
}
