import type { Cleanup, EachRow, EachValue, Repeat } from '../language/ast.ts';
import { parseStatements } from '../language/parser.ts';
import { type Code, type Finding, finding } from '../model/finding.ts';
import type { Excerpt, Range, Source } from '../model/source.ts';
import { isExampleResponse, readRequest } from '../steps/http/read-request.ts';
import { type FenceUse, useOfFence } from './fence.ts';
import { type Fence, type Heading, readBlocks, type Swallowed } from './markdown.ts';
import type { Lines, Page, PageCase, PageStep, RequestStep, StepStatement } from './page.ts';
import { plainHeading, Slugs } from './slug.ts';

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

type Draft = { -readonly [Key in keyof PageCase]: PageCase[Key] } & {
  steps: PageStep[];
  fences: Lines[];
  hasRequest: boolean;
  /** The last statement of the last fence, where it is one: it waits for its request. */
  repeat: Repeat | undefined;
  /** Something in it could not be read; it is a case all the same, for those who name it. */
  broken: boolean;
};

type Named = Extract<FenceUse, { use: 'schema' | 'rows' }>;
type Attached = Extract<FenceUse, { use: 'body' | 'variables' | 'query' }>;

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
  readonly #slugs = new Slugs();
  readonly #schemas = new Map<string, Excerpt>();
  readonly #tables = new Map<string, Excerpt>();
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
    if (use.use === 'prose') {
      this.#requireClosed(fence, fence.isOutermost);
      return;
    }
    if (use.use === 'slip') {
      this.#add(
        'fence-slip',
        fence.infoRange,
        `A fence '${fence.info}' is only prose.`,
        `Did you mean '${use.meant}'?`,
      );
      return;
    }
    this.#requireClosed(fence);
    if (use.use === 'schema' || use.use === 'rows') {
      this.#named(use, fence);
      this.#open?.fences.push(fence.lines);
      return;
    }
    const draft = this.#open ?? this.#begin(fileTitle(this.source.file), fence.range, fence.lines.from);
    draft.fences.push(fence.lines);
    const before = this.#findings.length;
    if (draft.repeat && use.use !== 'request') this.#strayRepeat(draft);
    if (use.use === 'request') this.#request(draft, fence);
    else if (use.use === 'statements') this.#statements(draft, fence);
    else if (use.use === 'settings') this.#settings(draft, fence);
    else if (use.use === 'later') this.#later(use.form, fence);
    else this.#attach(draft, use, fence);
    if (this.#findings.length > before) draft.broken = true;
  }

  /** What a reader of Markdown makes of a line changes what stands below it. */
  swallowed({ why, range }: Swallowed): void {
    const [message, remedy] = swallowedInWords[why];
    this.#add('markup-open', range, message, remedy);
  }

  /** A fence that was not closed where its author thought takes in the next one, and ends where that does. */
  #requireClosed({ closed, range, content, marks }: Fence, isAlone = true): void {
    if (!closed && isAlone)
      this.#add('fence-open', range, 'This fence is not closed.', 'Close it with a line of the same marks.');
    else if (fenceWithin(content.text, marks))
      this.#add(
        'fence-open',
        range,
        'This fence is not closed before another one begins.',
        'Close it with a line of the same marks, or give it more marks than those that it holds.',
      );
  }

  finish(): Pick<Page, 'cases' | 'schemas' | 'tables' | 'findings'> & { firstHeading: string | undefined } {
    this.#endCase(Number.POSITIVE_INFINITY);
    const cases = this.#cases.filter(
      each => each.steps.length > 0 || each.settings || each.each || each.cleanup || each.broken,
    );
    return {
      cases,
      schemas: this.#schemas,
      tables: this.#tables,
      findings: this.#findings,
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
    const slug = this.#slugs.next(title);
    const draft: Draft = {
      title,
      slug,
      address: `${this.source.file}#${slug}`,
      range,
      steps: [],
      lines: { from: line, to: line },
      fences: [],
      hasRequest: false,
      repeat: undefined,
      broken: false,
    };
    this.#cases.push(draft);
    this.#open = draft;
    return draft;
  }

  #request(draft: Draft, { content }: Fence): void {
    if (isExampleResponse(content)) {
      if (!draft.hasRequest)
        this.#add(
          'body-stray',
          content.range(0, content.text.indexOf('\n') < 0 ? content.text.length : content.text.indexOf('\n')),
          'This example response has no request above it in its case.',
        );
      if (/^set-cookie[ \t]*:/im.test(content.text)) draft.exampleSetsCookie = true;
      return;
    }
    const { step, findings } = readRequest(content);
    draft.hasRequest = true;
    this.#findings.push(...findings);
    if (step) draft.steps.push(draft.repeat ? { ...step, repeat: draft.repeat } : step);
    draft.repeat = undefined;
  }

  #statements(draft: Draft, { content, range }: Fence): void {
    const { statements, errors } = parseStatements(content);
    for (const error of errors) this.#add(error.code, error.range, error.message, error.remedy);
    const own: StepStatement[] = [];
    for (const statement of statements) {
      if (draft.repeat) this.#strayRepeat(draft);
      if (statement.type === 'repeat') draft.repeat = statement;
      else if (
        statement.type === 'each-row' ||
        statement.type === 'each-value' ||
        statement.type === 'cleanup'
      )
        this.#aboutCase(draft, statement);
      else own.push(statement);
    }
    if (own.length > 0) draft.steps.push({ kind: 'statements', statements: own, range });
  }

  /** What is said of a case as a whole stands before its first request, once. */
  #aboutCase(draft: Draft, statement: EachRow | EachValue | Cleanup): void {
    const key = statement.type === 'cleanup' ? 'cleanup' : 'each';
    if (draft.hasRequest || draft[key])
      this.#add(
        'statement-place',
        statement.range,
        `'${key}' stands once in a case, before its first request.`,
        'It holds for the case as a whole.',
      );
    else if (statement.type === 'cleanup') draft.cleanup = statement;
    else draft.each = statement;
  }

  /** A schema or a table: it belongs to the page, wherever it stands. */
  #named({ use, name }: Named, { info, infoRange, content }: Fence): void {
    const known = use === 'schema' ? this.#schemas : this.#tables;
    const words = info.split(/\s+/).slice(0, 2).join(' ');
    if (!/^[A-Za-z][A-Za-z0-9_-]*$/.test(name))
      this.#add(
        'fence-name',
        infoRange,
        name === '' ? `This fence has no name.` : `'${name}' cannot be its name.`,
        `Statements refer to it by its name: ${words} berths`,
      );
    else if (known.has(name))
      this.#add('fence-name', infoRange, `Another \`${words}\` of this page has the name '${name}' too.`);
    else known.set(name, content);
  }

  #settings(draft: Draft, { content, range }: Fence): void {
    if (draft.settings || draft.hasRequest)
      this.#add('body-stray', range, 'The settings of a case stand once, before its first request.');
    draft.settings = content;
  }

  /** A body, its variables or a query belongs to the request right above, prose between them not counted. */
  #attach(draft: Draft, use: Attached, { content, info, infoRange }: Fence): void {
    const what = `\`${info.split(/\s+/).slice(0, 2).join(' ')}\``;
    const request = draft.steps.at(-1);
    if (request?.kind !== 'request') {
      // Below a request that could not be read there is nothing to say of its body.
      if (!draft.broken || !draft.hasRequest)
        this.#add(
          'body-stray',
          infoRange,
          `There is no request right above this ${what}.`,
          'It stands directly below the fence of its request, before any statements.',
        );
      return;
    }
    if (use.use === 'body') {
      if (request.body) this.#add('body-stray', infoRange, 'This request has a body already.');
      else this.#amend(draft, request, { body: { excerpt: content, start: 0, fence: use } });
    } else if (use.use === 'variables') {
      if (request.body?.fence?.form !== 'graphql')
        this.#add('body-stray', infoRange, 'Variables belong to a `graphql body`, which stands above them.');
      else this.#amend(draft, request, { body: { ...request.body, variables: content } });
    } else if (request.query) this.#add('body-stray', infoRange, 'This request has a `form query` already.');
    else this.#amend(draft, request, { query: content });
  }

  #amend(draft: Draft, request: RequestStep, more: Pick<Partial<RequestStep>, 'body' | 'query'>): void {
    draft.steps[draft.steps.length - 1] = { ...request, ...more };
  }

  #later(form: string, { infoRange }: Fence): void {
    this.#add('not-yet', infoRange, `The fence '${form}' is not there yet.`);
  }

  #add(code: Code, range: Range, message: string, remedy?: string): void {
    this.#findings.push(finding(code, this.source, range, message, remedy));
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
