import type { StatementNode } from '../language/ast.ts';
import type { Finding } from '../model/finding.ts';
import type { Excerpt, Lines, Range, Source } from '../model/source.ts';
import type { WrittenRows } from '../steps/query/read-rows.ts';
import type { WrittenStep } from '../steps/step.ts';
import type { Cleanup, EachRow, EachValue } from './case-statements.ts';

/** A Markdown file that holds cases. */
export interface Page {
  readonly source: Source;
  /** As the front matter, else the first heading, else the file says. */
  readonly title: string;
  readonly frontMatter?: Excerpt;
  readonly cases: readonly PageCase[];
  /** By their names; every case of the page can name them. */
  readonly schemas: ReadonlyMap<string, Excerpt>;
  /** Of rows in the page, or of rows that are asked for; nothing where it could not be read. */
  readonly tables: ReadonlyMap<string, Excerpt | WrittenRows | undefined>;
  /** What is wrong with the page itself. */
  readonly findings: readonly Finding[];
  /** Texts that could not be read: what is missed elsewhere may stand in them. */
  readonly unread: readonly string[];
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
  /** Set for a case that runs at the end of the iteration. */
  readonly cleanup?: Cleanup;
  readonly steps: readonly WrittenStep[];
  /** Whether something in it could not be read, so that steps may be missing. */
  readonly unread?: boolean;
  /** Its lines, from its heading to the next one, and those of fences that are no prose; both from 1, ends exclusive. */
  readonly lines: Lines;
  readonly fences: readonly Lines[];
}

/** Every statement that a case carries out, in the order in which they are written. */
export function* statementsOf({ steps }: Pick<PageCase, 'steps'>): Generator<StatementNode> {
  for (const step of steps) {
    if (step.repeat) yield step.repeat;
    else if ('written' in step) yield step as unknown as StatementNode;
  }
}
