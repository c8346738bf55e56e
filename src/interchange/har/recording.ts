// A recording, as it was read.

/** An exchange of a recording, as far as an import needs it. */
export interface RecordedExchange {
  readonly method: string;
  /** Absolute. */
  readonly url: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly cookies: readonly (readonly [name: string, value: string])[];
  readonly body?: RecordedBody;
  /** Whether it sent something that the recording does not have. */
  readonly lacksBody: boolean;
  readonly status: number;
  readonly answered: readonly (readonly [name: string, value: string])[];
  readonly contentType: string;
  /** As text; nothing where the recording does not have it, or it is binary. */
  readonly text?: string;
  /** The address that answered, where redirects led to another one. */
  readonly ledTo?: string;
}

export interface RecordedBody {
  readonly contentType: string;
  readonly text?: string;
  /** Of a form, where they are told one by one. */
  readonly fields: readonly RecordedField[];
}

export interface RecordedField {
  readonly name: string;
  readonly value?: string;
  /** The name of the file that it is. */
  readonly file?: string;
  readonly type?: string;
}

export interface Recording {
  readonly title: string | undefined;
  readonly origin: string;
  readonly exchanges: readonly RecordedExchange[];
  /** With what was left out, of this origin: it may set cookies. */
  readonly everything: readonly RecordedExchange[];
  /** What was left out, as sentences. */
  readonly notes: readonly string[];
}
