/** How many exchanges were held to a definition of an API, and how many could not be, with the first reasons. */
export interface HeldTotals {
  file: string;
  held: number;
  notHeld: number;
  reasons: { reason: string; count: number }[];
  /** What was sent and is not described. */
  notes: { reason: string; count: number }[];
}
