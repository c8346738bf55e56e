import { exitCodes } from './exit.ts';

/** The first interrupt ends the run in order; the second one ends the program. */
export function listenForInterrupt(): { signal: AbortSignal; stop(): void } {
  const controller = new AbortController();
  const listener = () =>
    controller.signal.aborted ? process.exit(exitCodes.interrupted) : controller.abort();
  process.on('SIGINT', listener);
  process.on('SIGTERM', listener);
  return {
    signal: controller.signal,
    stop: () => {
      process.off('SIGINT', listener);
      process.off('SIGTERM', listener);
    },
  };
}
