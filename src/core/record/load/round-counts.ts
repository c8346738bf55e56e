import type { FiguredRounds } from '../../model/load-events.ts';

/** What became of rounds: how many were due, began and ended; of those that were due, how many began late or never. */
export class RoundCounts {
  due = 0;
  begun = 0;
  ended = 0;
  late = 0;
  dropped = 0;
  /** Those that were ended, since the run was over. */
  cutOff = 0;

  add({ due = 0, begun, ended, late = 0, dropped = 0, cutOff = 0 }: FiguredRounds): void {
    this.due += due;
    this.begun += begun;
    this.ended += ended;
    this.late += late;
    this.dropped += dropped;
    this.cutOff += cutOff;
  }
}
