import type { Range, Source } from './source.ts';

export type Severity = 'error' | 'warning';

/** Every kind of finding: what it is called in output and docs (docs/findings.md), and how much it weighs. */
export const codes = {
  // pages
  'page-unreadable': 'error',
  'fence-slip': 'error',
  'fence-open': 'error',
  'markup-open': 'error',
  'body-stray': 'error',
  'request-line': 'error',
  'header-line': 'error',
  'command-form': 'error',
  'script-form': 'error',
  'query-form': 'error',
  'database-unknown': 'error',
  'step-refused': 'error',
  'step-impossible': 'error',
  'body-json': 'error',
  'body-xml': 'error',
  'field-line': 'error',
  'file-missing': 'error',
  'reference-form': 'error',
  'fence-name': 'error',
  'schema-missing': 'error',
  'schema-form': 'error',
  'table-form': 'error',
  // statements
  syntax: 'error',
  'word-unknown': 'error',
  'function-unknown': 'error',
  'function-arguments': 'error',
  'path-form': 'error',
  'many-values': 'error',
  'never-equal': 'error',
  'pattern-form': 'error',
  'selector-form': 'error',
  'no-response-yet': 'error',
  'statement-place': 'error',
  // settings
  'yaml-form': 'error',
  'setting-unknown': 'error',
  'setting-form': 'error',
  'environment-unknown': 'error',
  'bound-form': 'error',
  'bound-unknown': 'error',
  'load-form': 'error',
  // flow of data
  'os-unset': 'error',
  'environment-setting': 'error',
  'environment-unchosen': 'error',
  'name-unknown': 'error',
  'name-later': 'error',
  'name-ambiguous': 'error',
  'name-circular': 'error',
  'name-of-rows': 'error',
  'need-unknown': 'error',
  'page-cycle': 'error',
  'order-unknown': 'error',
  'order-contradicted': 'error',
  'base-missing': 'error',
  'base-form': 'error',
  // definitions of an API
  'har-form': 'error',
  'wsdl-form': 'error',
  'definition-missing': 'error',
  'definition-unreadable': 'error',
  'definition-form': 'error',
  'definition-reference': 'error',
  'definition-circle': 'error',
  'definition-parameter': 'error',
  'definition-operation-id': 'error',
  'definition-path-twice': 'error',
  'definition-server': 'error',
  // warnings
  'request-unchecked': 'warning',
  'example-form': 'warning',
  'example-name': 'warning',
  'example-contradicts': 'warning',
  'target-ambiguous': 'warning',
  'link-nowhere': 'warning',
  'script-idle': 'warning',
  'case-address': 'warning',
  'check-idle': 'warning',
  'one-value': 'warning',
  'reference-like': 'warning',
  'secret-written': 'warning',
  'secret-short': 'warning',
  'secret-exposed': 'warning',
  'name-unused': 'warning',
  'name-shadowed': 'warning',
  'tls-unverified': 'warning',
  'database-unsecured': 'warning',
  'definition-overlap': 'warning',
  'definition-example': 'warning',
  'definition-required': 'warning',
  'definition-errors': 'warning',
  'definition-no-schema': 'warning',
  'definition-unsecured': 'warning',
  'definition-credentials': 'warning',
  'definition-plain-http': 'warning',
  'definition-basic': 'warning',
  'definition-prose': 'warning',
  'definition-unused': 'warning',
  'definition-limit': 'warning',
  'definition-no-example': 'warning',
} as const satisfies Record<string, Severity>;

export type Code = keyof typeof codes;

/**
 * Whether the settings may choose what it weighs: warnings, and what is wrong inside of a definition, which keeps nothing from
 * being carried out.
 */
export function isAdjustable(code: Code): boolean {
  if (codes[code] === 'warning') return true;
  return code.startsWith('definition-') && code !== 'definition-missing' && code !== 'definition-unreadable';
}

/** Warnings that are told only where the setting `lint` gives them a weight. */
export const onlyAskedFor: ReadonlySet<Code> = new Set(['definition-limit', 'definition-no-example']);

/** Something to say about a page or a settings file, at a place in it. */
export interface Finding {
  readonly code: Code;
  readonly severity: Severity;
  readonly source: Source;
  readonly range: Range;
  /** What is wrong: one sentence or two. */
  readonly message: string;
  /** What mends it, where that can be said. */
  readonly remedy?: string;
  /** Set until it is known whether it is written as another notation has it. */
  readonly unread?: Unread;
}

/** What cannot be read of a statement, and where. */
export interface Unread {
  /** The line in which it begins. */
  readonly statement: string;
  /** What stands where it cannot be read, up to the line end. */
  readonly rest: string;
  /** Whether that is where it begins. */
  readonly atStart: boolean;
}

export function finding(
  code: Code,
  { source, range }: Pick<Finding, 'source' | 'range'>,
  message: string,
  remedy?: string | undefined,
): Finding {
  return { code, severity: codes[code], source, range, message, ...(remedy !== undefined && { remedy }) };
}

/** Thrown inside a stage where reading cannot go on; the stage's entry turns it into a finding. */
export class SourceError extends Error {
  /** @param range offsets in the text that the stage reads, not yet those of the page */
  constructor(
    readonly code: Code,
    readonly range: Range,
    message: string,
    readonly remedy?: string | undefined,
    readonly unread?: Unread,
  ) {
    super(message);
  }
}

/** What is wrong, found. */
export function findingOf({ code, range, message, remedy, unread }: SourceError, source: Source): Finding {
  const found = finding(code, { source, range }, message, remedy);
  return unread ? { ...found, unread } : found;
}

/** By file, then by place; the same finding at the same place (two pages below one settings file) only once. */
export function sortFindings(findings: readonly Finding[]): Finding[] {
  const seen = new Set<string>();
  return [...findings]
    .sort((a, b) =>
      a.source.file < b.source.file ? -1 : a.source.file > b.source.file ? 1 : a.range.start - b.range.start,
    )
    .filter(each => {
      const key = `${each.source.file}:${each.range.start}:${each.code}:${each.message}`;
      return !seen.has(key) && seen.add(key);
    });
}
