import type { Range } from '../../model/source.ts';
import type { Bound } from '../bounds.ts';

// What a run with load is to do, as its lines say.

/** How much goes on at the same time: so many users, or so many rounds that begin in a second. */
export type LoadUnit = 'users' | 'rounds';

/** A stretch of a load. What goes on changes evenly from its beginning to its end. */
export interface LoadPhase {
  /** From 1; 0 for the warm-up, which is left out of the figures. */
  readonly number: number;
  readonly label?: string;
  /** As written, without its label. */
  readonly text: string;
  readonly unit: LoadUnit;
  /** Users, or rounds a second. */
  readonly from: number;
  readonly to: number;
  /** In milliseconds. */
  readonly lasting: number;
}

/** Of a table, of which each user takes a row of its own. */
export interface UserRows {
  readonly table: string;
  /** Of the name of the table. */
  readonly range: Range;
  readonly order: 'in turn' | 'random';
}

/** What ends a run with load before its time. */
export interface StopCondition {
  /** As written: `failed > 20 % for 10 s`. */
  readonly text: string;
  readonly range: Range;
  readonly bound: Bound;
  /** In milliseconds: over so long it is measured. */
  readonly over: number;
}

export interface Load {
  /** One behind the other, the warm-up first. */
  readonly phases: readonly LoadPhase[];
  readonly rows?: UserRows;
  readonly stops: readonly StopCondition[];
}

interface NamedPhase {
  readonly number: number;
  readonly label?: string | undefined;
}

/** What a phase is called in messages: `phase 2 "storm"`, `the warm-up`. */
export function phaseInWords({ number, label }: NamedPhase): string {
  if (number === 0) return 'the warm-up';
  return label === undefined ? `phase ${number}` : `phase ${number} "${label}"`;
}

/** Whether a phase bears a name, which is its number or its label. */
export function isPhase({ number, label }: NamedPhase, name: string): boolean {
  return number > 0 && (label === name || String(number) === name);
}

/** How many rounds are due in a phase of rounds, and parts of one; or go on, where each of its users takes a second. */
export function roundsIn({ from, to, lasting }: Pick<LoadPhase, 'from' | 'to' | 'lasting'>): number {
  return ((from + to) / 2) * (lasting / 1000);
}

/** In milliseconds: from the beginning of the first phase to the end of the last. */
export function lengthOfLoad({ phases }: { readonly phases: readonly Pick<LoadPhase, 'lasting'>[] }): number {
  return phases.reduce((sum, { lasting }) => sum + lasting, 0);
}
