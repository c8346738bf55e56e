/** What a line or a text stands for; how it looks is for those to say who draw it. */
export type Ink =
  | 'axis'
  | 'grid'
  | 'label'
  | 'median'
  | 'upper'
  | 'band'
  | 'curve'
  | 'held'
  | 'failed'
  | 'requests'
  | 'users'
  /** What was asked for, and where phases begin. */
  | 'asked'
  | 'phase';

export type Mark =
  /** `d` in the path language of SVG. */
  | { readonly kind: 'line' | 'area'; readonly d: string; readonly ink: Ink }
  | {
      readonly kind: 'text';
      readonly x: number;
      readonly y: number;
      readonly text: string;
      readonly anchor: 'start' | 'middle' | 'end';
      readonly ink: Ink;
    };

/** A chart as lines and texts, so that a page and a document can draw the same. */
export interface Drawing {
  readonly title: string;
  /** What it shows, in a sentence. */
  readonly says: string;
  readonly width: number;
  readonly height: number;
  readonly marks: readonly Mark[];
}

/** @param id unique in the page */
export function svgOf({ title, says, width, height, marks }: Drawing, id: string): string {
  const body = marks.map(mark => {
    if (mark.kind !== 'text') return `<path class="${mark.kind} ${mark.ink}" d="${mark.d}"/>`;
    const { x, y, anchor, ink, text } = mark;
    return `<text class="${ink}" x="${round(x)}" y="${round(y)}" text-anchor="${anchor}">${escapeMarkup(text)}</text>`;
  });
  return `<svg class="chart" viewBox="0 0 ${width} ${height}" role="img" aria-labelledby="${id}-title ${id}-says"><title id="${id}-title">${escapeMarkup(title)}</title><desc id="${id}-says">${escapeMarkup(says)}</desc>${body.join('')}</svg>`;
}

export function escapeMarkup(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}

export function round(value: number): number {
  return Math.round(value * 10) / 10;
}
