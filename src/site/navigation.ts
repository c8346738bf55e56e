import { html, Markup } from '../reports/page/markup.ts';
import { linkBetween, type SiteModel, type SitePage } from './site-model.ts';

/** All pages by their folders; of the one that is open its cases. */
export function navigationMarkup({ pages }: SiteModel, open: SitePage | undefined): Markup {
  const from = open?.path ?? 'index.html';
  const folders = new Map<string, SitePage[]>();
  for (const page of pages) {
    const folder = page.file.includes('/') ? page.file.replace(/\/[^/]*$/, '') : '';
    const known = folders.get(folder);
    if (known) known.push(page);
    else folders.set(folder, [page]);
  }
  const lists = [...folders].map(
    ([folder, own]) =>
      html`${folder !== '' && html`<p class="folder">${folder}</p>`}<ul>${own.map(page => entryMarkup(page, page === open, from))}</ul>`,
  );
  return html`<nav aria-label="Pages">${lists}</nav>`;
}

function entryMarkup(page: SitePage, isOpen: boolean, from: string): Markup {
  const cases = page.cases.map(
    ({ slug, title }) => html`<li><a href="#${encodeURIComponent(slug)}">${title}</a></li>`,
  );
  return html`<li><a href="${linkBetween(from, page.path)}"${isOpen && new Markup(' aria-current="page"')}>${page.title}</a>${isOpen && cases.length > 0 && html`<ul>${cases}</ul>`}</li>`;
}
