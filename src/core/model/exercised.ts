/** What runs have made of an operation of a definition. */
export interface ExercisedOperation {
  /** How many requests were sent. */
  sent: number;
  /** How many responses came, by the status as it is described, and how many of them in cases that passed. */
  readonly statuses: Map<string, { seen: number; passed: number }>;
  /** As `query state`. */
  readonly parameters: Set<string>;
  /** Members of the body that was sent. */
  readonly members: Set<string>;
  /** What checks and keeps looked at, as paths. */
  readonly looked: Set<string>;
}

/** What runs have made of a definition: by the titles of its operations. */
export interface ExercisedDefinition {
  readonly file: string;
  /** Of each definition that was there under this name. */
  readonly hashes: Set<string>;
  readonly operations: Map<string, ExercisedOperation>;
}
