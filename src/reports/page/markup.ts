import { escapeMarkup } from '../charts/drawing.ts';
import { visible } from '../style.ts';

/** A stretch of a page that is markup already. */
export class Markup {
  constructor(readonly text: string) {}
}

type Insert = Markup | string | number | undefined | false | readonly Insert[];

/** Markup with values put in; every value that is no markup itself stays text. */
export function html(parts: TemplateStringsArray, ...inserts: readonly Insert[]): Markup {
  let text = parts[0]!;
  for (const [index, insert] of inserts.entries()) text += textOf(insert) + parts[index + 1]!;
  return new Markup(text);
}

function textOf(insert: Insert): string {
  if (insert === undefined || insert === false) return '';
  if (insert instanceof Markup) return insert.text;
  if (typeof insert === 'object') return insert.map(textOf).join('');
  return escapeMarkup(visible(String(insert)));
}
