import type { Measure, Paint } from './style.ts';

/** What is proposed for a request. */
export interface RequestSuggestions {
  /** The address of its case. */
  readonly case: string;
  /** As FILE:LINE. */
  readonly place: string;
  /** As its page has it: `GET /berths`. */
  readonly request: string;
  /** How many answers were compared. */
  readonly answers: number;
  readonly checks: readonly SuggestedCheck[];
  /** How many more there are, which are not shown. */
  readonly more: number;
}

export interface SuggestedCheck {
  readonly check: string;
  /** Why it is proposed. */
  readonly reason: string;
  /** The form that the answers have. */
  readonly pattern: string;
}

/** In columns: the reason for a longer check stands above it. */
const longestAligned = 56;
/** So wide a check may be before it goes on in the next line. */
const widest = 100;

/** The lines of checks as they stand in a page, each with its reason in a comment. */
export function checkLines(checks: readonly SuggestedCheck[], measure: Measure): string[] {
  const isShort = ({ check }: SuggestedCheck) => measure(check) <= longestAligned;
  const column = Math.max(0, ...checks.filter(isShort).map(({ check }) => measure(check)));
  return checks.flatMap(each => {
    const { check, reason } = each;
    if (isShort(each)) return [`${check}${' '.repeat(column - measure(check))}  # ${reason}`];
    return [`# ${reason}`, ...wrapped(check, measure)];
  });
}

/** Goes on behind commas; lines that go on begin with white space. */
function wrapped(check: string, measure: Measure): string[] {
  const lines = [''];
  for (const piece of check.match(/(?:"(?:[^"\\]|\\.)*"|[^,"])+,?\s*/g) ?? [check]) {
    const last = lines.at(-1)!;
    if (last !== '' && measure(last + piece.trimEnd()) > widest) lines.push(`  ${piece}`);
    else lines[lines.length - 1] = last + piece;
  }
  return lines.map(line => line.trimEnd());
}

/** For people: ready to be pasted below the requests. */
export function suggestionsText(
  requests: readonly RequestSuggestions[],
  { paint, measure }: { readonly paint: Paint; readonly measure: Measure },
): string {
  return requests
    .map(({ place, request, answers, checks, more }) => {
      const compared = answers === 1 ? '1 answer' : `${answers} answers`;
      const head = `${paint('strong', request)}  ${paint('quiet', `${place}, ${compared}`)}`;
      if (checks.length === 0) return `${head}\n\nIts checks notice every change that was tried.\n`;
      const lines = checkLines(checks, measure).map(line =>
        line.replace(/(?:^| {2})# .*$/, comment => paint('quiet', comment)),
      );
      const rest = more === 0 ? '' : `\n${paint('quiet', `${more} more: --all`)}\n`;
      return `${head}\n\n\`\`\`mervok\n${lines.join('\n')}\n\`\`\`\n${rest}`;
    })
    .join('\n');
}

/** For programs. */
export function suggestionsJson(requests: readonly RequestSuggestions[]): string {
  return JSON.stringify({ format: 'mervok-suggestions', version: 1, requests }, undefined, 2);
}
