import type { Plan } from '../analysis/plan.ts';
import { StopWatch } from '../record/load/stop-watch.ts';
import { defaultApdex } from '../record/request-statistics.ts';
import type { CarriedOut } from './carried-out.ts';
import type { RunSurroundings } from './carry-out.ts';
import { warmUpOf, watchStops } from './load/watch-stops.ts';
import type { Ports } from './ports.ts';
import type { RunOptions } from './run-options.ts';
import type { RunThreads } from './run-threads.ts';

/** Has threads carry out their shares of the users, and watches what they come to together. */
export async function carryOutOnThreads(
  { apdex = defaultApdex }: Plan,
  ports: Ports,
  { load, cleanUpSignal }: RunOptions,
  { control, output, begin, threads }: RunSurroundings & { readonly threads: RunThreads },
): Promise<CarriedOut> {
  const stops = new StopWatch(load?.stops ?? [], apdex, load ? warmUpOf(load) : 0);
  const watching = watchStops(stops, { ports, control, begin });
  try {
    const { lag, missing } = await threads.carryOut({
      ...{ begin, control, cleanUpSignal },
      onFigures: figures => {
        stops.add(figures);
        if (load) output.emit(figures);
        else output.tell(figures);
      },
      onTold: event => output.tell(event),
    });
    return { lag, missing, because: watching.because };
  } finally {
    watching.end();
  }
}
