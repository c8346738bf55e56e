import { type Finding, finding } from '../model/finding.ts';
import type { Level, Written } from '../settings/level.ts';
import { inWords } from '../text/words.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import type { Flow } from './flow.ts';

/** Cases that clean up after others join them: those whose names all come from cases that run. */
export function withCleanUp(
  cases: ReadonlySet<CollectionCase>,
  leftOut: ReadonlySet<CollectionCase>,
  flow: Flow,
): Set<CollectionCase> {
  const all = new Set(cases);
  for (const page of flow.collection.pages) {
    for (const each of page.cases) {
      if (!each.written.cleanup || leftOut.has(each)) continue;
      const producers = flow.producersFor(each);
      if (producers.length > 0 && producers.every(producer => cases.has(producer))) all.add(each);
    }
  }
  return all;
}

/** Pages in their order, but each after the pages that it takes names from or needs. A circle is a finding. */
export function orderPages(
  { pages, order }: Pick<Collection, 'pages' | 'order'>,
  cases: ReadonlySet<CollectionCase>,
  flow: Flow,
): { pages: CollectionPage[]; findings: Finding[] } {
  const ordered = new Set<CollectionPage>();
  const findings: Finding[] = [];
  const visit = (page: CollectionPage, trail: CollectionPage[]) => {
    if (ordered.has(page)) return;
    const at = trail.indexOf(page);
    if (at >= 0) {
      findings.push(circleOf([...trail.slice(at), page]));
      return;
    }
    for (const each of page.cases) {
      // What cleans up runs when all pages have, so nothing needs to wait for it.
      if (!cases.has(each) || each.written.cleanup) continue;
      for (const producer of flow.producersFor(each)) {
        if (producer.page === page) continue;
        visit(producer.page, [...trail, page]);
        const contradiction = order.saysBefore(page.page.source.file, producer.page.page.source.file);
        if (contradiction) findings.push(contradicts(contradiction, each, producer));
      }
    }
    ordered.add(page);
  };
  for (const page of pages) if (page.cases.some(each => cases.has(each))) visit(page, []);
  return { pages: [...ordered], findings };
}

function circleOf(circle: readonly CollectionPage[]): Finding {
  const files = inWords(
    circle.map(each => each.page.source.file),
    'and again',
  );
  const [page] = circle as [CollectionPage];
  return finding(
    'page-cycle',
    { source: page.page.source, range: page.cases[0]!.written.range },
    `These pages take names from each other, or need each other, in a circle: ${files}.`,
    'Move the case that the others need to a page of its own.',
  );
}

function contradicts(
  { level, written }: { level: Level; written: Written },
  user: CollectionCase,
  producer: CollectionCase,
): Finding {
  return finding(
    'order-contradicted',
    { source: level.source, range: written.range },
    `'${written.text}' stands before what it needs: ${user.address} takes what ${producer.address} makes.`,
    'Put it behind that in the order.',
  );
}
