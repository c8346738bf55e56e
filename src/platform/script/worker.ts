import { parentPort, workerData } from 'node:worker_threads';
import { defaultTransport } from '../../core/settings/transport.ts';
import type { OutgoingScript } from '../../core/steps/script/script-port.ts';
import { setFlags } from '../tuning.ts';
import { Sandbox } from './sandbox.ts';
import type { ThreadAnswer } from './script-faults.ts';

// The thread that scripts run in, one after the other. Who started it ends it where one takes too long.

// Everything of the runtime is there by now.
setFlags(workerData);
const port = parentPort!;
let sandbox = Sandbox.open(defaultTransport.limits.script.memory);

port.on('message', async (script: OutgoingScript) => {
  const { memory } = script.limits;
  let open = await sandbox;
  if (open.spent || open.limit !== memory) {
    sandbox = Sandbox.open(memory);
    open = await sandbox;
  }
  const ended = await open.run(script);
  const answer: ThreadAnswer = { ended, spent: open.spent && ended.fault !== undefined };
  port.postMessage(answer);
});
void sandbox.then(() => port.postMessage('ready'));
