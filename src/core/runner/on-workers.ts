import type { Plan } from '../analysis/plan.ts';
import type { RunEvent } from '../model/events.ts';
import { StopWatch } from '../record/load/stop-watch.ts';
import { defaultApdex } from '../record/request-statistics.ts';
import type { CarriedOut } from './carried-out.ts';
import type { RunSurroundings } from './carry-out.ts';
import { warmUpOf, watchStops } from './load/watch-stops.ts';
import type { Ports } from './ports.ts';
import type { RunOptions } from './run-options.ts';
import type { RunWorkers } from './run-workers.ts';

/** Has threads or machines carry out their shares of the users, and watches what they come to together. */
export async function carryOutOnWorkers(
  { apdex = defaultApdex }: Plan,
  ports: Ports,
  { load, cleanUpSignal }: RunOptions,
  { control, output, masker, begin, workers }: RunSurroundings & { readonly workers: RunWorkers },
): Promise<CarriedOut> {
  const stops = new StopWatch(load?.stops ?? [], apdex, load ? warmUpOf(load) : 0);
  const watching = watchStops(stops, { ports, control, begin });
  try {
    const { lag, missing } = await workers.carryOut({
      ...{ begin, control, cleanUpSignal },
      onFigures: figures => {
        stops.add(figures);
        if (load) output.emit(figures);
        else output.tell(figures);
      },
      onTold: lines => {
        for (const line of lines) {
          const event = JSON.parse(line) as RunEvent;
          if (workers.keepRecord) output.tell(event);
          // What one of them has come by may stand in what another one was answered.
          else output.emit(event, masker);
        }
      },
    });
    return { lag, missing, because: watching.because };
  } finally {
    watching.end();
  }
}
