import type { Code } from '../../model/finding.ts';
import { type Finding, finding } from '../../model/finding.ts';
import type { ApiDefinition } from '../api.ts';
import type { DefinitionDocument } from '../document/document.ts';
import type { Located } from '../document/document-set.ts';

/** Looks through a definition for one sort of thing that is wrong with it. */
export type Rule = (api: ApiDefinition, report: Report) => void;

/** Where something is wrong: a value, and the member of it that is meant. */
export interface DefinitionPlace {
  readonly located: Pick<Located, 'value' | 'document'>;
  readonly key?: string | number | undefined;
}

export type Report = (code: Code, place: DefinitionPlace, message: string, remedy?: string) => void;

/** Gathers what rules report, and at most so many of one code: nobody mends more at once. */
export function reporter(findings: Finding[]): Report {
  return (code, place, message, remedy) => {
    const { document } = place.located;
    findings.push(finding(code, { source: document.source, range: rangeOf(place) }, message, remedy));
  };
}

export function rangeOf({ located: { value, document }, key }: DefinitionPlace) {
  return typeof value === 'object' && value !== null ? document.range(value, key) : { start: 0, end: 0 };
}

/** The place of a document as a whole. */
export function atBegin(document: DefinitionDocument, value = document.value): DefinitionPlace {
  return { located: { value, document } };
}
