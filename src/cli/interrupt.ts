import { setMaxListeners } from 'node:events';
import { exitCodes } from './exit.ts';

/** What asks a program to end: a key, another program, a terminal that is closed. */
export const signals = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;

/** The first interrupt ends the run in order and lets it clean up, the second ends that too, the third the program. */
export function listenForInterrupt(): { signal: AbortSignal; cleanUpSignal: AbortSignal; stop(): void } {
  const run = new AbortController();
  const cleanUp = new AbortController();
  // Every user that cleans up waits for something of its own.
  setMaxListeners(0, cleanUp.signal);
  const listener = () => {
    if (!run.signal.aborted) run.abort();
    else if (!cleanUp.signal.aborted) cleanUp.abort();
    else process.exit(exitCodes.interrupted);
  };
  for (const signal of signals) process.on(signal, listener);
  return {
    signal: run.signal,
    cleanUpSignal: cleanUp.signal,
    stop: () => {
      for (const signal of signals) process.off(signal, listener);
    },
  };
}
