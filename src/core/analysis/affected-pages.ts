import type { CollectionPage } from './collection.ts';
import type { Flow } from './flow.ts';

/**
 * Of the pages that were asked for, those that changed files touch: those themselves, those that take names from them or
 * need them, and those that name a changed file, or whose settings do. `all` where that cannot be said.
 * @param files relative to the root of the collection
 */
export function affectedPages(
  flow: Flow,
  asked: ReadonlySet<string>,
  files: readonly string[],
): string[] | 'all' {
  const touched = new Set<CollectionPage>();
  const { pages } = flow.collection;
  for (const file of files) {
    const page = pages.find(each => each.page.source.file === file);
    const [, folder = ''] = /^(.*\/)?/.exec(file)!;
    if (page) touched.add(page);
    else if (/(?:^|\/)mervok(?:\.secret)?\.yaml$/.test(file)) {
      if (folder === '') return 'all';
      for (const each of pages) if (each.page.source.file.startsWith(folder)) touched.add(each);
    } else if (/\.md$/i.test(file)) return 'all';
    else {
      // A table, a schema, a body or a value: its name stands where it is used.
      const name = file.slice(folder.length);
      for (const each of pages) {
        const sources = [each.page.source, ...each.levels.map(level => level.source)];
        if (sources.some(({ text }) => text.includes(name))) touched.add(each);
      }
    }
  }
  for (const page of touched)
    for (const user of pages)
      if (user.cases.some(each => flow.producersFor(each).some(producer => producer.page === page)))
        touched.add(user);
  return [...touched].map(page => page.page.source.file).filter(file => asked.has(file));
}
