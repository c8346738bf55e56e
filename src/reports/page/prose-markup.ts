import MarkdownIt from 'markdown-it';
import { Markup } from './markup.ts';

let markdown: MarkdownIt | undefined;

/**
 * What a page says around a case, as markup: no HTML of its own, no pictures, no links but those to elsewhere, since a
 * report is handed on without the pages beside it.
 */
export function proseMarkup(text: string): Markup {
  if (!markdown) {
    markdown = new MarkdownIt('commonmark', { html: false }).enable('table');
    markdown.validateLink = url => /^(?:https?:|mailto:)/i.test(url);
    markdown.disable('image');
  }
  return new Markup(markdown.render(text));
}
