/** What answers a request. */
export interface StandInAnswer {
  readonly status: number;
  /** Empty for the usual one. */
  readonly reason: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body:
    | { readonly text: string }
    | { readonly bytes: Uint8Array }
    | { readonly file: string }
    | undefined;
  /** Whose it is: the address of a case; nothing for a problem. */
  readonly from?: string;
}

/** What went wrong, in the form of RFC 9457. */
export interface Problem {
  readonly status: number;
  readonly title: string;
  readonly detail: string;
  /** What would have to be otherwise, a sentence for each of the nearest patterns; or each difference. */
  readonly reasons?: readonly string[];
}

const problemType = 'application/problem+json';

function problemText({ status, title, detail, reasons = [] }: Problem): string {
  return `${JSON.stringify({ title, status, detail, ...(reasons.length > 0 && { reasons }) }, undefined, 2)}\n`;
}

export function problemAnswer(problem: Problem): StandInAnswer {
  return {
    status: problem.status,
    reason: '',
    headers: [['Content-Type', problemType]],
    body: { text: problemText(problem) },
  };
}
