import type { Cleanup, EachRow, EachValue, Repeat, Statement } from '../language/ast.ts';
import type { TargetTemplate } from '../language/templates/target.ts';
import type { Template } from '../language/templates/template.ts';
import type { Finding } from '../model/finding.ts';
import type { Excerpt, Range, Source } from '../model/source.ts';
import type { BodyFenceForm } from './fence.ts';

/** A Markdown file that holds cases. */
export interface Page {
  readonly source: Source;
  /** As the front matter, else the first heading, else the file says. */
  readonly title: string;
  readonly frontMatter?: Excerpt;
  readonly cases: readonly PageCase[];
  /** By their names; every case of the page can name them. */
  readonly schemas: ReadonlyMap<string, Excerpt>;
  readonly tables: ReadonlyMap<string, Excerpt>;
  /** What is wrong with the page itself. */
  readonly findings: readonly Finding[];
}

/** A heading and the steps under it, up to the next heading. */
export interface PageCase {
  readonly title: string;
  /** The heading as Git hosts make a link of it. */
  readonly slug: string;
  /** The page's file and the slug: `berths.md#reserve-a-berth`. */
  readonly address: string;
  readonly range: Range;
  readonly settings?: Excerpt;
  /** What the case is carried out for each of. */
  readonly each?: EachRow | EachValue;
  /** Whether an example response of it sets a cookie. */
  readonly exampleSetsCookie?: boolean;
  /** Set for a case that runs at the end of the iteration. */
  readonly cleanup?: Cleanup;
  readonly steps: readonly PageStep[];
  /** Its lines, from its heading to the next one, and those of fences that are no prose; both from 1, ends exclusive. */
  readonly lines: Lines;
  readonly fences: readonly Lines[];
}

export interface Lines {
  readonly from: number;
  readonly to: number;
}

export type PageStep = RequestStep | StatementsStep;

export interface RequestStep {
  readonly kind: 'request';
  readonly range: Range;
  readonly method: string;
  /** As written. */
  readonly targetText: string;
  readonly target: TargetTemplate;
  readonly targetRange: Range;
  readonly headers: readonly HeaderField[];
  readonly body?: BodyText;
  /** The lines of a `form query`. */
  readonly query?: Excerpt;
  /** Where it is sent until something holds. */
  readonly repeat?: Repeat;
}

export interface HeaderField {
  readonly name: string;
  readonly value: Template;
  readonly range: Range;
}

/** A body as written. How its references are escaped hangs on its type, which the settings may give. */
export interface BodyText {
  readonly excerpt: Excerpt;
  /** Where it begins in the excerpt. */
  readonly start: number;
  /** What it is, where it stands in a fence of its own. */
  readonly fence?: { readonly form: BodyFenceForm; readonly crlf: boolean };
  /** The variables of a GraphQL body. */
  readonly variables?: Excerpt;
}

/** Statements that are about a case or a request as a whole stand with those. */
export type StepStatement = Exclude<Statement, EachRow | EachValue | Cleanup | Repeat>;

export interface StatementsStep {
  readonly kind: 'statements';
  readonly range: Range;
  readonly statements: readonly StepStatement[];
}

/** Every statement that a case carries out, in the order in which they are written. */
export function* statementsOf({ steps }: Pick<PageCase, 'steps'>): Generator<StepStatement | Repeat> {
  for (const step of steps) {
    if (step.kind === 'statements') yield* step.statements;
    else if (step.repeat) yield step.repeat;
  }
}
