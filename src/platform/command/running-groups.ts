// Commands run in process groups of their own, which nothing but this program ends.

const running = new Set<number>();

/** To be ended with the program, whatever ends that. */
export function noteGroup(group: number): void {
  if (running.size === 0) process.on('exit', endAll);
  running.add(group);
}

export function forgetGroup(group: number): void {
  running.delete(group);
  if (running.size === 0) process.off('exit', endAll);
}

function endAll(): void {
  for (const group of running) signalGroup(group, 'SIGKILL');
}

/** Whether there was anybody to hear it; 0 only asks. */
export function signalGroup(group: number, signal: NodeJS.Signals | 0): boolean {
  try {
    return process.kill(-group, signal);
  } catch {
    return false;
  }
}
