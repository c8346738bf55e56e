import { parentPort, workerData } from 'node:worker_threads';
import { kindsIn } from '../core/analysis/plan.ts';
import { isUsageError } from '../core/model/usage-error.ts';
import { carryOut } from '../core/runner/carry-out.ts';
import { addKnownSecrets } from '../core/runner/known-secrets.ts';
import { RunControl } from '../core/runner/run-control.ts';
import { RunOutput } from '../core/runner/run-output.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { NamedValues } from '../core/secrecy/named-values.ts';
import { openPorts } from '../platform/ports.ts';
import type { StartedWith } from '../platform/threads/start-thread.ts';
import { setFlags } from '../platform/tuning.ts';
import { version } from '../platform/version.ts';
import { refusalOf } from './fences.ts';
import { prepareInput } from './prepare.ts';
import type { FromShareThread, SharesToRun, ToShareThread } from './share-work.ts';

// A thread that carries out shares of the pages of a run, one after the other. The plan is made again here, of the same
// texts.

const { flags, work } = workerData as StartedWith<SharesToRun>;
// Everything of the runtime is there by now.
setFlags(flags);
const port = parentPort!;
const tell = (message: FromShareThread) => port.postMessage(message);

/** So many lines are told in one go. */
const atOnce = 200;

async function main(): Promise<void> {
  const { input, fences, seed, options, shares } = work;
  const ready = await prepareInput(input);
  const refusal = await refusalOf(ready, fences);
  if (refusal !== undefined) {
    tell({ type: 'refused', why: refusal });
    return;
  }
  const { plan, places } = ready;
  const ports = await openPorts(places, kindsIn(plan), seed);
  const masker = new Masker(undefined, {
    add: secret => tell({ type: 'secrets', added: [secret], retired: [] }),
    retire: retired => tell({ type: 'secrets', added: [], retired }),
    take: () => undefined,
  });
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), ports.external);
  let current: { control: RunControl; cleanUp: AbortController } | undefined;

  const run = async (attempt: number, share: number) => {
    const files = new Set(shares[share]);
    const cleanUp = new AbortController();
    const control = new RunControl(new AbortController().signal);
    current = { control, cleanUp };
    let lines: string[] = [];
    const flush = () => {
      if (lines.length > 0) tell({ type: 'lines', attempt, lines });
      lines = [];
    };
    const output = new RunOutput({
      record: () => undefined,
      onEvent: event => {
        lines.push(JSON.stringify(event));
        if (lines.length >= atOnce) flush();
      },
      deferred: true,
      keepsBodies: true,
      onFailure: () => control.stop('interrupt'),
    });
    await carryOut(
      { ...plan, pages: plan.pages.filter(({ file }) => files.has(file)) },
      ports,
      { ...options, tool: `mervok ${version}`, signal: control.signal, cleanUpSignal: cleanUp.signal },
      { control, output, masker, begin: ports.elapsed() },
    );
    output.finish();
    control.close();
    flush();
    current = undefined;
    tell({ type: 'done', attempt, ...(control.stopped && { stopped: control.stopped }) });
  };

  port.on('message', (message: ToShareThread) => {
    switch (message.type) {
      case 'share':
        run(message.attempt, message.share).catch(failed);
        break;
      case 'stop':
        current?.control.stop(message.reason);
        break;
      case 'end':
        current?.cleanUp.abort();
        break;
      default:
        message satisfies never;
    }
  });
  tell({ type: 'ready' });
}

function failed(error: Error): void {
  if (isUsageError(error)) tell({ type: 'refused', why: error.message });
  else tell({ type: 'failed', name: error.name, stack: error.stack ?? '' });
}

main().catch(failed);
