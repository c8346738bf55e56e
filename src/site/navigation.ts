import { counted } from '../core/text/words.ts';
import { html, type Markup } from '../reports/page/markup.ts';
import { type Folder, linkBetween, type SiteModel, type SitePage } from './site-model.ts';

/** Of so many pages all are listed beside each; of more what is near, or all of them together would grow by the square. */
const mostPages = 120;
const mostNear = 60;

/** Where the list of a folder's pages stands on the first page. */
export function folderId(path: string): string {
  return `folder:${path}`;
}

/**
 * The pages by their folders; of the one that is open its cases.
 * @param open nothing on the first page
 */
export function navigationMarkup(
  { pages, folders, index: first }: SiteModel,
  open: SitePage | undefined,
): Markup {
  const from = open?.path ?? first;
  const isLarge = pages.length > mostPages;
  const linkTo = ({ path }: Folder) => linkBetween(from, first, folderId(path));
  const own = folders.findIndex(folder => open && folder.pages.includes(open));
  const near = open && isLarge ? around(folders, own) : folders;
  const lists = near.map(folder => {
    const isFolded = isLarge && folder !== folders[own];
    const shown = isLarge && open ? around(folder.pages, folder.pages.indexOf(open)) : folder.pages;
    const name = isFolded ? html`<a href="${linkTo(folder)}">${nameOf(folder)}</a>` : folder.path;
    const count = isFolded && ` ${counted(folder.pages.length, 'page')}`;
    const rest = folder.pages.length - shown.length;
    return html`${(folder.path !== '' || isFolded) && html`<p class="folder">${name}${count}</p>`}${!isFolded && html`<ul>${shown.map(page => entryMarkup(page, page === open, from))}${rest > 0 && html`<li><a href="${linkTo(folder)}">${rest} more</a></li>`}</ul>`}`;
  });
  const others = folders.length - near.length;
  return html`<nav aria-label="Pages">${lists}${others > 0 && html`<p class="folder"><a href="${linkBetween(from, first)}">${counted(others, 'more folder')}</a></p>`}</nav>`;
}

function nameOf({ path }: Folder): string {
  return path === '' ? 'Beside the folders' : path;
}

/** As many as are shown, with the one at a place among them. */
function around<T>(items: readonly T[], at: number): readonly T[] {
  const start = Math.max(0, Math.min(at - mostNear / 2, items.length - mostNear));
  return items.slice(start, start + mostNear);
}

function entryMarkup(page: SitePage, isOpen: boolean, from: string): Markup {
  const cases =
    isOpen &&
    page.cases.map(({ slug, title }) => html`<li><a href="#${encodeURIComponent(slug)}">${title}</a></li>`);
  const link = linkBetween(from, page.path);
  return html`<li><a href="${link}"${isOpen && html` aria-current="page"`}>${page.title}</a>${cases && cases.length > 0 && html`<ul>${cases}</ul>`}</li>`;
}
