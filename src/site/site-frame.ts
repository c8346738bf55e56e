import { html, type Markup } from '../reports/page/markup.ts';
import { linkBetween } from './site-model.ts';

/** A page of the site around what it says: it loads its own files alone, and sends nothing. */
export function frame({
  title,
  path,
  home,
  collection,
  navigation,
  main,
}: {
  readonly title: string;
  /** From the root of the site. */
  readonly path: string;
  readonly home: string;
  readonly collection: string;
  readonly navigation: Markup;
  readonly main: Markup;
}): string {
  const at = (file: string) => linkBetween(path, file);
  const root = '../'.repeat(path.split('/').length - 1);
  return `<!doctype html>
<html lang="en">
${
  html`<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'self'; script-src 'self'; img-src 'self'; base-uri 'none'; form-action 'none'">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<meta name="referrer" content="no-referrer">
<title>${title}</title>
<link rel="stylesheet" href="${at('site.css')}">
</head>
<body data-root="${root}">
<a class="skip" href="#site:main">To the text</a>
<header class="top">
<a class="home" href="${home}">${collection}</a>
<form class="search" role="search" hidden><label>Search <input type="search" autocomplete="off" spellcheck="false" aria-controls="site:found" aria-expanded="false" role="combobox" aria-autocomplete="list"></label><ol id="site:found" class="found" role="listbox" aria-label="What was found" hidden></ol></form>
</header>
<div class="columns">
<details class="contents" open><summary>Pages</summary>${navigation}</details>
<main id="site:main" tabindex="-1">${main}</main>
</div>
<script src="${at('search.js')}" defer></script>
<script src="${at('site.js')}" defer></script>
</body>`.text
}
</html>
`;
}
