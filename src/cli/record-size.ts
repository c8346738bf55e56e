import type { Plan } from '../core/analysis/plan.ts';
import { lengthOfLoad, roundsIn } from '../core/language/load/load.ts';
import type { LoadOptions } from '../core/runner/run-options.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import type { Terminal } from './terminal.ts';

/** In bytes: what the figures of a request take in a second, and what all lines of a case take. */
const [ofFigures, ofCase] = [500, 3000];
/** In bytes: a smaller record is not worth a word. */
const large = 200_000_000;

/** About how large the record of a load becomes, in bytes. A user is taken to go through a round in a second. */
export function recordSize({ phases, sample }: LoadOptions, { pages }: Pick<Plan, 'pages'>): number {
  const cases = pages.reduce((sum, page) => sum + page.cases.length, 0);
  const rounds = phases.reduce((sum, phase) => sum + roundsIn(phase), 0);
  return (lengthOfLoad({ phases }) / 1000) * cases * ofFigures + rounds * sample * cases * ofCase;
}

/** Before anything is sent, where there is much of it. */
export function noteLargeRecord(load: LoadOptions, plan: Pick<Plan, 'pages'>, { err }: Terminal): void {
  const size = recordSize(load, plan);
  if (size < large) return;
  const figures = recordSize({ ...load, sample: 0 }, plan);
  const less =
    size > 2 * figures
      ? ` A smaller sample keeps less: --sample ${smallerOf(load.sample)}`
      : ` Most of it are the figures of ${durationText(lengthOfLoad(load))}, second by second.`;
  err(`The record of this load will take about ${sizeText(Number(size.toPrecision(1)))}.${less}\n`);
}

function smallerOf(sample: number): string {
  return `${Number((sample * 10).toPrecision(2))}%`;
}
