import type { Difference } from '../../language/difference.ts';
import { TimeLimitError } from '../../text/time-limit.ts';
import { SchemaUnusable } from '../schemas/schema-set.ts';

/** What looking at something came to. */
export interface Decision {
  readonly differences: readonly Difference[];
  /** Why nothing could be looked at. */
  readonly notHeld?: string | undefined;
  /** Why it could not be decided. */
  readonly undecided?: string | undefined;
}

/** Looks at something; what keeps it from being decided is told, and no reason to go on as if it held. */
export function decide(look: () => Decision): Decision {
  try {
    return look();
  } catch (error) {
    if (error instanceof TimeLimitError || error instanceof SchemaUnusable)
      return { differences: [], undecided: error.message };
    if (error instanceof RangeError)
      return { differences: [], undecided: 'the schema refers to itself without end for this value' };
    throw error;
  }
}
