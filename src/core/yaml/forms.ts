import type * as zod from 'zod/mini';

/** What a form is made of, as far as settings need it: all of the library would be read at every start. */
export type FormLibrary = Pick<
  typeof zod,
  | 'array'
  | 'boolean'
  | 'enum'
  | 'int'
  | 'literal'
  | 'maximum'
  | 'minimum'
  | 'nullable'
  | 'optional'
  | 'record'
  | 'strictObject'
  | 'string'
  | 'union'
  | 'unknown'
>;

export type Form = zod.ZodMiniType;

/** The library comes with them, since it is loaded only where there are settings. */
export interface Forms {
  readonly z: FormLibrary;
  /** A text, or what YAML takes for something else. */
  readonly scalar: Form;
  /** A number, or one with a unit. */
  readonly amount: Form;
}
