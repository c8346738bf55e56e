import type Big from 'big.js';

/**
 * A value of the statement language. JSON documents are plain JavaScript values, so that they cost nothing; kinds that
 * JSON does not have are instances of `Special`. A `number` stands for the decimal that it prints as; a decimal that a
 * double cannot hold is an `Exact`.
 */
export type Value =
  | string
  | number
  | boolean
  | null
  | Exact
  | Plain
  | Duration
  | Size
  | CalendarDate
  | Timestamp
  | Uint8Array
  | Value[]
  | { [name: string]: Value };

export type Kind =
  | 'text'
  | 'number'
  | 'boolean'
  | 'null'
  | 'list'
  | 'object'
  | 'plain'
  | 'duration'
  | 'size'
  | 'date'
  | 'timestamp'
  | 'bytes';

/** A value of a kind that JSON does not have. */
export abstract class Special {
  abstract readonly kind: Kind;
}

/** A decimal number with more digits than a double keeps. */
export class Exact extends Special {
  readonly kind = 'number';
  constructor(readonly decimal: Big) {
    super();
  }
}

export type Numeric = number | Exact;

/** Characters that have no kind of their own: a header, an unquoted setting, a value given on the command line. */
export class Plain extends Special {
  readonly kind = 'plain';
  /** @param quoted whether it stood in quotes, as some cells of a table do: in the place of a JSON value it stays a text */
  constructor(
    readonly text: string,
    readonly quoted = false,
  ) {
    super();
  }

  static quoted(text: string): Plain {
    return new Plain(text, true);
  }
}

export class Duration extends Special {
  readonly kind = 'duration';
  constructor(readonly milliseconds: number) {
    super();
  }
}

export class Size extends Special {
  readonly kind = 'size';
  constructor(readonly bytes: number) {
    super();
  }
}

/** A day of the calendar, as milliseconds of its midnight in UTC. */
export class CalendarDate extends Special {
  readonly kind = 'date';
  constructor(readonly milliseconds: number) {
    super();
  }
}

/** An instant, in milliseconds since 1970 in UTC. */
export class Timestamp extends Special {
  readonly kind = 'timestamp';
  constructor(readonly milliseconds: number) {
    super();
  }
}

/** What stands for a value that is not there, or that cannot be known. It is no value: null is one. */
export class Missing {
  /**
   * @param reason why, as a sentence without its full stop
   * @param unreadable whether the document as a whole cannot be read, so that even absence cannot be known
   */
  constructor(
    readonly reason: string,
    readonly unreadable = false,
  ) {}

  static unreadable(reason: string): Missing {
    return new Missing(reason, true);
  }
}

export type Found = Value | Missing;

export function kindOf(value: Value): Kind {
  switch (typeof value) {
    case 'string':
      return 'text';
    case 'number':
      return 'number';
    case 'boolean':
      return 'boolean';
    default:
      if (value === null) return 'null';
      if (Array.isArray(value)) return 'list';
      if (value instanceof Special) return value.kind;
      return value instanceof Uint8Array ? 'bytes' : 'object';
  }
}

export function isObject(value: Found | undefined): value is { [name: string]: Value } {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Special) &&
    !(value instanceof Uint8Array) &&
    !(value instanceof Missing)
  );
}

/** `a text`, `an object`: a kind as it stands in a sentence. */
export function kindInWords(kind: Kind): string {
  switch (kind) {
    case 'null':
    case 'bytes':
      return kind;
    case 'plain':
      return 'a text';
    case 'object':
      return 'an object';
    default:
      return `a ${kind}`;
  }
}
