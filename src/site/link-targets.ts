import { posix } from 'node:path';
import { percentDecoded } from '../core/text/percent.ts';
import { headingSlugs } from './heading-slugs.ts';
import { linkBetween, type SiteModel, type SitePage } from './site-model.ts';

/** Where relative links of pages lead in the site. */
export class LinkTargets {
  /** Files of the collection that pages link to. */
  readonly copied = new Set<string>();
  readonly #pages: ReadonlyMap<string, SitePage>;
  readonly #headings = new Map<SitePage, ReadonlySet<string>>();

  constructor(
    model: SiteModel,
    /** Files that the site has of itself: a copy would take their place. */
    readonly own: ReadonlySet<string>,
    /** Whether a file of the collection may be handed out. */
    readonly mayCopy: (path: string) => boolean,
  ) {
    this.#pages = new Map(model.pages.map(page => [page.file, page]));
  }

  /** Seen from a page; nothing where it leads out of the site, or nowhere. */
  resolve(from: SitePage, href: string): string | undefined {
    const [, path = '', fragment = ''] = /^([^#?]*)(?:\?[^#]*)?(#.*)?$/.exec(href) ?? [];
    // A scheme that pages have no use for is none of a file either.
    if (path.startsWith('/') || /[\\:]/.test(path)) return undefined;
    const file = path === '' ? from.file : posix.join(posix.dirname(from.file), percentDecoded(path));
    if (file.startsWith('..')) return undefined;
    const page = this.#pages.get(file);
    if (page) return this.#inPage(from, page, percentDecoded(fragment.slice(1)));
    if (/\.md$/i.test(file) || this.own.has(file) || !this.mayCopy(file)) return undefined;
    this.copied.add(file);
    return linkBetween(from.path, file);
  }

  #inPage(from: SitePage, page: SitePage, slug: string): string | undefined {
    if (slug !== '' && !this.#headingsOf(page).has(slug)) return undefined;
    return page === from ? `#${encodeURIComponent(slug)}` : linkBetween(from.path, page.path, slug);
  }

  /** Those that are shown. */
  #headingsOf(page: SitePage): ReadonlySet<string> {
    const known = this.#headings.get(page);
    if (known) return known;
    const hidden = new Set(page.hidden.map(({ written }) => written.slug));
    const slugs = new Set([...headingSlugs(page.page.page).values()].filter(slug => !hidden.has(slug)));
    this.#headings.set(page, slugs);
    return slugs;
  }
}
