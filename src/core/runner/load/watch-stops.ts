import { lengthOfLoad } from '../../language/load/load.ts';
import type { StopWatch } from '../../record/load/stop-watch.ts';
import type { Ports } from '../ports.ts';
import type { RunControl } from '../run-control.ts';
import type { LoadOptions } from '../run-options.ts';

/** In milliseconds: how often it is looked whether a second is over. */
const tick = 100;

export interface Watching {
  /** The condition that was met, and what was found. */
  readonly because: string | undefined;
  end(): void;
}

/** Ends a run as soon as one of its conditions is met. @param onTick called before each look */
export function watchStops(
  stops: StopWatch,
  { ports, control, begin }: { readonly ports: Ports; readonly control: RunControl; readonly begin: number },
  onTick: () => void = () => undefined,
): Watching {
  const over = new AbortController();
  let because: string | undefined;
  const go = async () => {
    while (!over.signal.aborted) {
      await ports.sleep(tick, over.signal);
      if (over.signal.aborted) return;
      onTick();
      const met = control.isOver ? undefined : stops.met(ports.elapsed() - begin);
      if (!met) continue;
      because = `${met.text}, found ${met.found}`;
      control.stop('condition');
    }
  };
  void go();
  return {
    get because() {
      return because;
    },
    end: () => over.abort(),
  };
}

/** In milliseconds: before that nothing is measured. */
export function warmUpOf({ phases }: Pick<LoadOptions, 'phases'>): number {
  return lengthOfLoad({ phases: phases.filter(({ number }) => number === 0) });
}
