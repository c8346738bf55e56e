import type { DescribedExchange, HeldTotals } from '../model/events.ts';
import type { Place } from '../model/place.ts';
import { inWords } from '../text/words.ts';
import type { BoundResult } from './bounds-watch.ts';

/** So many different reasons are told. */
const mostReasons = 20;

/** Counts what was held to definitions of an API; what it holds does not grow with the run. */
export class DefinitionsWatch {
  readonly #byFile = new Map<string, { readonly totals: HeldTotals; readonly place: Place }>();

  add({ file, notHeld, notes }: DescribedExchange, place: Place): void {
    const totals = this.#totalsOf(file, place);
    if (notHeld === undefined) totals.held++;
    else {
      totals.notHeld++;
      count(totals.reasons, notHeld);
    }
    for (const note of notes ?? []) count(totals.notes, note);
  }

  /** What was counted elsewhere. */
  addTotals({ file, held, notHeld, reasons, notes }: HeldTotals): void {
    const known = this.#totalsOf(file, { file, line: 1, column: 1 });
    known.held += held;
    known.notHeld += notHeld;
    for (const each of reasons) count(known.reasons, each.reason, each.count);
    for (const each of notes) count(known.notes, each.reason, each.count);
  }

  #totalsOf(file: string, place: Place): HeldTotals {
    const known = this.#byFile.get(file) ?? {
      totals: { file, held: 0, notHeld: 0, reasons: [], notes: [] },
      place,
    };
    this.#byFile.set(file, known);
    return known.totals;
  }

  get totals(): readonly HeldTotals[] {
    return [...this.#byFile.values()].map(({ totals }) => totals);
  }

  /** A definition that nothing could be held to is a bound that is not kept: nobody has looked at what it says. */
  unheld(): BoundResult[] {
    return [...this.#byFile.values()]
      .filter(({ totals }) => totals.held === 0)
      .map(({ totals: { file, reasons }, place }) => ({
        text: `as ${file} says`,
        place,
        holds: 'unknown',
        found: `nothing could be held to it: ${inWords(reasons.slice(0, 3).map(({ reason }) => reason))}`,
      }));
  }
}

function count(reasons: HeldTotals['reasons'], reason: string, times = 1): void {
  const known = reasons.find(each => each.reason === reason);
  if (known) known.count += times;
  else if (reasons.length < mostReasons) reasons.push({ reason, count: times });
}
