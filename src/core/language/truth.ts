/** Why a condition cannot be decided; as a sentence without its full stop. */
export class Unknown {
  constructor(readonly reason: string) {}
}

/** Three-valued: what is unknown never passes. */
export type Truth = true | false | Unknown;

export function negate(truth: Truth): Truth {
  return truth instanceof Unknown ? truth : !truth;
}

/** False if any is false, else unknown if any is unknown, else true. */
export function all(truths: Iterable<Truth>): Truth {
  let result: Truth = true;
  for (const truth of truths) {
    if (truth === false) return false;
    if (truth !== true) result = truth;
  }
  return result;
}

/** True if any is true, else unknown if any is unknown, else false. */
export function any(truths: Iterable<Truth>): Truth {
  let result: Truth = false;
  for (const truth of truths) {
    if (truth === true) return true;
    if (truth !== false) result = truth;
  }
  return result;
}
