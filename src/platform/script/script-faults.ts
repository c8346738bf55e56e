import type { EndedScript, ScriptFault } from '../../core/steps/script/script-port.ts';
import { durationText } from '../../core/values/text.ts';
import { limitText } from '../limit-text.ts';

/** What a thread answers to a script. */
export interface ThreadAnswer {
  readonly ended: EndedScript;
  /** Whether another thread has to take its place. */
  readonly spent: boolean;
}

/** @param limit in milliseconds */
export function timeFault(limit: number): ScriptFault {
  const time = durationText(limit);
  return {
    kind: 'timeout',
    message: `The script had not ended within ${time}. The limit is the setting 'limits': { script: { time: ${time} } }.`,
    through: [],
  };
}

/** @param limit in bytes */
export function memoryFault(limit: number, through: ScriptFault['through'] = []): ScriptFault {
  return {
    kind: 'limit',
    message: `The script takes more memory than it may. The limit is the setting 'limits': { script: { memory: ${limitText(limit)} } }.`,
    through,
  };
}
