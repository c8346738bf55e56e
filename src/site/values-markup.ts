import type { Markup } from '../reports/page/markup.ts';
import { html } from '../reports/page/markup.ts';
import type { SiteModel } from './site-model.ts';

/** Where a value stands on the page that lists them. */
export function valueId(name: string): string {
  return `value-${name}`;
}

/** The values that pages take from settings; of a secret only that it is one, and none of environments. */
export function valuesMarkup({ values }: Pick<SiteModel, 'values'>): Markup {
  if (values.size === 0) return html``;
  const rows = [...values].map(
    ([name, { value, file }]) =>
      html`<tr id="${valueId(name)}"><th scope="row"><code>${name}</code></th><td>${value}</td><td class="quiet">${file}</td></tr>`,
  );
  return html`<h2 id="values">Values</h2><div class="wide" tabindex="0"><table><thead><tr><th scope="col">Name</th><th scope="col">Value</th><th scope="col">Where</th></tr></thead><tbody>${rows}</tbody></table></div>`;
}
