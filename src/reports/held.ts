import type { HeldTotals } from '../core/model/events.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted, grouped } from '../core/text/words.ts';

/** So many reasons are told. */
const mostReasons = 4;

/** `Held to harbour.openapi.yaml: 85 responses; not held: 14 (…).`, a sentence for each definition. */
export function heldInWords({ definitions }: RunTotals): string[] {
  return definitions.map(definitionInWords);
}

/** So many places of examples are told. */
const mostPlaces = 3;

/** `3 examples are out of date: berths.md:24, …`; nothing where none is. */
export function outdatedInWords({ outdated }: RunTotals): string | undefined {
  if (!outdated) return undefined;
  const { count, places } = outdated;
  const told = places.slice(0, mostPlaces).join(', ');
  const more = count > mostPlaces ? `, and ${counted(count - mostPlaces, 'more', 'more')}` : '';
  return `${counted(count, 'example')} ${count === 1 ? 'is' : 'are'} out of date: ${told}${more}.`;
}

function definitionInWords({ file, held, notHeld, reasons, notes }: HeldTotals): string {
  const parts = [`Held to ${file}: ${counted(held, 'response')}`];
  if (notHeld > 0) parts.push(`not held: ${grouped(notHeld)} (${reasonsInWords(reasons)})`);
  if (notes.length > 0) parts.push(`sent without being described: ${reasonsInWords(notes)}`);
  return `${parts.join('; ')}.`;
}

function reasonsInWords(reasons: HeldTotals['reasons']): string {
  const often = [...reasons].sort((a, b) => b.count - a.count);
  const told = often
    .slice(0, mostReasons)
    .map(({ reason, count }) => (count === 1 ? reason : `${reason}, ${grouped(count)} times`));
  const more = reasons.length - told.length;
  return [...told, ...(more > 0 ? [`and ${counted(more, 'other reason')}`] : [])].join('; ');
}
