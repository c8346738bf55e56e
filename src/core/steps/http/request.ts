import type { TargetTemplate } from '../../language/templates/target.ts';
import type { Template } from '../../language/templates/template.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import type { WrittenStep } from '../step.ts';

/** A request as a page has it. */
export interface WrittenRequest extends WrittenStep {
  readonly type: 'http';
  readonly method: string;
  /** As written. */
  readonly targetText: string;
  readonly target: TargetTemplate;
  readonly targetRange: Range;
  readonly headers: readonly HeaderField[];
  readonly body?: BodyText;
  /** The lines of a `form query`. */
  readonly query?: Excerpt;
}

export interface HeaderField {
  readonly name: string;
  readonly value: Template;
  readonly range: Range;
}

/** The languages of fences that hold a body, each behind `body`. */
export const bodyForms = ['json', 'xml', 'yaml', 'text', 'form', 'multipart', 'graphql', 'file'] as const;
export type BodyForm = (typeof bodyForms)[number];
/** Those that an example response may have. */
export const exampleForms: readonly BodyForm[] = ['json', 'xml', 'yaml', 'text', 'file'];

/** A body as written. How its references are escaped hangs on its type, which the settings may give. */
export interface BodyText {
  readonly excerpt: Excerpt;
  /** Where it begins in the excerpt. */
  readonly start: number;
  /** What it is, where it stands in a fence of its own. */
  readonly fence?: { readonly form: BodyForm; readonly crlf: boolean };
  /** The variables of a GraphQL body. */
  readonly variables?: Excerpt;
}
