import Slugger from 'github-slugger';
import type { StatementNode } from '../language/ast.ts';
import { isName } from '../language/reference.ts';
import { type Code, type Finding, finding, findingOf, SourceError } from '../model/finding.ts';
import { Excerpt, type Range, type Source } from '../model/source.ts';
import { operationKindOf } from '../steps/kinds.ts';
import { readRows, type WrittenRows } from '../steps/query/read-rows.ts';
import type { Repeat } from '../steps/repeat.ts';
import type { OperationKind, WrittenExample } from '../steps/step.ts';
import { addExample, attachTo, type Draft } from './case-draft.ts';
import { type Cleanup, type EachRow, type EachValue, roleOf } from './case-statements.ts';
import { type FenceUse, meantBelowRequest, meantByContent, useOfFence } from './fence.ts';
import { type Fence, type Heading, readBlocks, type Swallowed } from './markdown-blocks.ts';
import type { Page } from './page.ts';
import { plainHeading } from './plain-heading.ts';
import { readStatements } from './statements.ts';

/** Reads a page: its front matter, its cases and their steps, and everything that is wrong with its form. */
export function readPage(source: Source): Page {
  const { frontMatter, blocks, swallowed } = readBlocks(source);
  const reader = new PageReader(source);
  for (const each of swallowed) reader.swallowed(each);
  for (const block of blocks) {
    if (block.kind === 'heading') reader.heading(block);
    else reader.fence(block);
  }
  const { firstHeading, ...read } = reader.finish();
  const title = firstHeading ?? fileTitle(source.file);
  return { source, title, ...(frontMatter && { frontMatter }), ...read };
}

function fileTitle(file: string): string {
  return file.replace(/^.*\//, '').replace(/\.md$/i, '');
}

type Named = Extract<FenceUse, { use: 'schema' | 'rows' | 'asked-rows' }>;
type Attached = Extract<FenceUse, { use: 'attached' }>;

const swallowedInWords: { readonly [why in Swallowed['why']]: readonly [message: string, remedy: string] } = {
  deep: [
    'Lists and quotes are nested too deeply here, so nothing below can be read.',
    'Take some of the levels away.',
  ],
  front: [
    'These settings are not read: they begin on the first line of a page, and end with a line ---.',
    'Move or close them; a rule --- that is meant as one has an empty line below it.',
  ],
  open: ['This HTML is not closed, so all below is a part of it.', 'Close it, as with --> or </pre>.'],
  joined: [
    'The heading or fence right below this HTML is a part of it.',
    'Leave an empty line between them.',
  ],
};

class PageReader {
  readonly #cases: Draft[] = [];
  readonly #findings: Finding[] = [];
  readonly #unread: string[] = [];
  /** A repeated heading gets a number. */
  readonly #slugs = new Slugger();
  readonly #schemas = new Map<string, Excerpt>();
  readonly #tables = new Map<string, Excerpt | WrittenRows | undefined>();
  #open: Draft | undefined;
  #firstHeading: string | undefined;

  constructor(readonly source: Source) {}

  heading({ text, range, line }: Heading): void {
    const title = plainHeading(text);
    this.#firstHeading ??= title;
    this.#begin(title, range, line);
  }

  fence(fence: Fence): void {
    const use = useOfFence(fence.info);
    const meant =
      use.use === 'slip'
        ? use.meant
        : use.use === 'prose' && (this.#meantBelow(fence) ?? meantByContent(fence.info, fence.content.text));
    if (meant) {
      this.#add(
        'fence-slip',
        fence.infoRange,
        `A fence '${fence.info}' is only prose.`,
        `Did you mean '${meant}'?`,
      );
      this.#cannotRead(
        this.#open ?? this.#begin(fileTitle(this.source.file), fence.range, fence.lines.from),
        fence,
      );
      return;
    }
    if (use.use === 'prose' || use.use === 'slip') {
      if (this.#requireClosed(fence, fence.isOutermost) && this.#open) this.#cannotRead(this.#open, fence);
      return;
    }
    const isSwallowing = this.#requireClosed(fence);
    if (use.use === 'schema' || use.use === 'rows' || use.use === 'asked-rows') {
      this.#named(use, fence);
      this.#open?.fences.push(fence.lines);
      return;
    }
    const draft = this.#open ?? this.#begin(fileTitle(this.source.file), fence.range, fence.lines.from);
    draft.fences.push(fence.lines);
    // What it has swallowed would make it wrong in other ways.
    if (isSwallowing) {
      this.#cannotRead(draft, fence);
      return;
    }
    const before = this.#findings.length;
    if (use.use !== 'attached') draft.exampleOf = undefined;
    if (draft.repeat && use.use !== 'operation') this.#strayRepeat(draft);
    if (use.use === 'operation') this.#operation(draft, use.kind, fence);
    else if (use.use === 'statements') this.#statements(draft, fence);
    else if (use.use === 'settings') this.#settings(draft, fence);
    else this.#attach(draft, use, fence);
    if (this.#findings.length > before) draft.broken = true;
  }

  /** What stands in it may be just what is missed elsewhere. */
  #cannotRead(draft: Draft, { content }: Fence): void {
    draft.broken = true;
    draft.unread = true;
    draft.repeat = undefined;
    this.#unread.push(content.text);
  }

  /** Below a request that has no body yet, a fence may be one that is not called so. */
  #meantBelow({ info }: Fence): string | undefined {
    const meant = meantBelowRequest(info);
    const above = this.#open?.steps.at(-1);
    const attach = meant !== undefined && above && operationKindOf(above)?.attachments[meant];
    return attach && typeof attach(above, { content: new Excerpt(this.source, '', 1), more: '' }) !== 'string'
      ? meant
      : undefined;
  }

  /** What a reader of Markdown makes of a line changes what stands below it. */
  swallowed({ why, range }: Swallowed): void {
    const [message, remedy] = swallowedInWords[why];
    this.#add('markup-open', range, message, remedy);
    this.#unread.push(this.source.text.slice(range.start));
  }

  /** A fence that was not closed where its author thought takes in the next one, and ends where that does: that is told. */
  #requireClosed({ closed, range, content, marks }: Fence, isAlone = true): boolean {
    if (fenceWithin(content.text, marks))
      this.#add(
        'fence-open',
        range,
        'This fence is not closed before another one begins.',
        'Close it with a line of the same marks, or give it more marks than those that it holds.',
      );
    else if (!closed && isAlone)
      this.#add('fence-open', range, 'This fence is not closed.', 'Close it with a line of the same marks.');
    else return false;
    return true;
  }

  finish(): Pick<Page, 'cases' | 'schemas' | 'tables' | 'findings' | 'unread'> & {
    firstHeading: string | undefined;
  } {
    this.#endCase(Number.POSITIVE_INFINITY);
    const cases = this.#cases.filter(
      each => each.steps.length > 0 || each.settings || each.each || each.cleanup || each.broken,
    );
    return {
      cases,
      schemas: this.#schemas,
      tables: this.#tables,
      findings: this.#findings,
      unread: this.#unread,
      firstHeading: this.#firstHeading,
    };
  }

  /** @param line the first that is not of the case, counted from 1 */
  #endCase(line: number): void {
    if (this.#open?.repeat) this.#strayRepeat(this.#open);
    if (this.#open) this.#open.lines = { from: this.#open.lines.from, to: line };
  }

  #strayRepeat(draft: Draft): void {
    this.#add(
      'statement-place',
      draft.repeat!.range,
      "'repeat' stands directly before the request that it sends again, and none comes here.",
      'End this fence with it, and let the fence of the request come next.',
    );
    draft.repeat = undefined;
  }

  #begin(title: string, range: Range, line: number): Draft {
    this.#endCase(line);
    const slug = this.#slugs.slug(title);
    const draft: Draft = {
      title,
      slug,
      address: `${this.source.file}#${slug}`,
      range,
      steps: [],
      lines: { from: line, to: line },
      fences: [],
      hasOperation: false,
      exampleOf: undefined,
      repeat: undefined,
      broken: false,
    };
    this.#cases.push(draft);
    this.#open = draft;
    return draft;
  }

  #operation(draft: Draft, kind: OperationKind, fence: Fence): void {
    const { step, isExample, example, errors } = kind.read(fence);
    if (isExample) {
      this.#addErrors(errors);
      this.#example(draft, example, fence);
      return;
    }
    draft.hasOperation = true;
    this.#addErrors(errors);
    if (errors.length > 0) this.#cannotRead(draft, fence);
    if (step)
      draft.steps.push({ ...step, extent: fence.lines, ...(draft.repeat && { repeat: draft.repeat }) });
    draft.repeat = undefined;
  }

  #example(draft: Draft, example: WrittenExample | undefined, { content }: Fence): void {
    if (addExample(draft, example) || draft.unread) return;
    const firstLine = content.text.indexOf('\n');
    this.#add(
      'body-stray',
      content.range(0, firstLine < 0 ? content.text.length : firstLine),
      'This example response has no request above it in its case.',
    );
  }

  #statements(draft: Draft, fence: Fence): void {
    const { statements, errors } = readStatements(fence.content);
    this.#addErrors(errors);
    if (errors.length > 0) this.#cannotRead(draft, fence);
    for (const statement of statements) {
      if (draft.repeat) this.#strayRepeat(draft);
      const role = roleOf(statement);
      if (role === undefined) draft.steps.push(statement);
      else if (role === 'repeat') draft.repeat = statement as Repeat;
      else this.#aboutCase(draft, role, statement);
    }
  }

  /** What is said of a case as a whole stands before its first request, once. */
  #aboutCase(draft: Draft, role: 'each' | 'cleanup', statement: StatementNode): void {
    if (draft.hasOperation || draft[role])
      this.#add(
        'statement-place',
        statement.range,
        `'${role}' stands once in a case, before its first request.`,
        'It holds for the case as a whole.',
      );
    else if (role === 'cleanup') draft.cleanup = statement as Cleanup;
    else draft.each = statement as EachRow | EachValue;
  }

  /** A schema or a table: it belongs to the page, wherever it stands. */
  #named({ use, name }: Named, fence: Fence): void {
    const { info, infoRange, content } = fence;
    const known = use === 'schema' ? this.#schemas : this.#tables;
    const words = info.split(/\s+/).slice(0, 2).join(' ');
    if (!isName(name))
      this.#add(
        'fence-name',
        infoRange,
        name === '' ? `This fence has no name.` : `'${name}' cannot be its name.`,
        `Statements refer to it by its name: ${words} berths${use === 'asked-rows' ? ' ledger (code, depth)' : ''}`,
      );
    else if (known.has(name)) {
      const what = use === 'schema' ? '`json schema`' : 'table';
      this.#add('fence-name', infoRange, `Another ${what} of this page has the name '${name}' too.`);
    } else if (use === 'schema') this.#schemas.set(name, content);
    else if (use === 'rows') this.#tables.set(name, content);
    else {
      const rows = readRows(fence);
      if (rows instanceof SourceError) {
        this.#addErrors([rows]);
        this.#unread.push(info);
      }
      this.#tables.set(name, rows instanceof SourceError ? undefined : rows);
    }
  }

  #settings(draft: Draft, { content, range }: Fence): void {
    if (draft.settings || draft.hasOperation)
      this.#add(
        'body-stray',
        range,
        'The settings of a case stand once, before its first request.',
        'Move this fence up, or put both into one.',
      );
    draft.settings = content;
  }

  #attach(draft: Draft, { words, more }: Attached, fence: Fence): void {
    const why = attachTo(draft, words, { content: fence.content, more, lines: fence.lines });
    if (why) this.#add('body-stray', fence.infoRange, why.message, why.remedy);
  }

  #addErrors(errors: readonly SourceError[]): void {
    for (const error of errors) this.#findings.push(findingOf(error, this.source));
  }

  #add(code: Code, range: Range, message: string, remedy?: string): void {
    this.#findings.push(finding(code, { source: this.source, range }, message, remedy));
  }
}

/** Whether a fence that Mervok reads begins in another one, by marks that end where that one ends. */
function fenceWithin(text: string, marks: string): boolean {
  if (!text.includes(marks)) return false;
  return text.split('\n').some(line => {
    const [, own, info] = /^ {0,3}(`{3,}|~{3,})[ \t]*(\S.*)$/.exec(line) ?? [];
    return own?.startsWith(marks) === true && useOfFence(info!.trim()).use !== 'prose';
  });
}
