import Slugger from 'github-slugger';
import { type Heading, readBlocks } from '../core/pages/markdown-blocks.ts';
import type { Page, PageCase } from '../core/pages/page.ts';
import { plainHeading } from '../core/pages/plain-heading.ts';

/** What links to the headings of a page end in, by their lines: for cases their own, of which a repeated one has a number. */
export function headingSlugs(page: Page): ReadonlyMap<number, string> {
  const slugs = new Map<number, string>();
  const slugger = new Slugger();
  const first = caseBeforeHeadings(page);
  if (first) slugs.set(first.lines.from, slugger.slug(first.title));
  for (const { text, line } of headingsOf(page)) slugs.set(line, slugger.slug(plainHeading(text)));
  return slugs;
}

/** A case that stands before all headings, which is called like the file. */
export function caseBeforeHeadings(page: Page): PageCase | undefined {
  const [first] = page.cases;
  const [heading] = headingsOf(page);
  return first && first.lines.from < (heading?.line ?? Number.POSITIVE_INFINITY) ? first : undefined;
}

function headingsOf({ source }: Page): Heading[] {
  return readBlocks(source).blocks.filter(block => block.kind === 'heading');
}
