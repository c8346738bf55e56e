/** The text of a heading without its markup. */
export function plainHeading(text: string): string {
  if (!/[*_`[\\]/.test(text)) return text.trim();
  return text
    .replace(/!?\[([^\]]*)\]\([^)]*\)/g, '$1')
    .replace(/`+([^`]+)`+/g, '$1')
    .replace(/(\*{1,3}|(?<!\w)_{1,3})(\S(?:.*?\S)?)\1(?!\w)/g, '$2')
    .replace(/\\([!-/:-@[-`{-~])/g, '$1')
    .trim();
}

/** Makes the link names of one page's headings as Git hosts make them; a repeated one gets a number. */
export class Slugs {
  #used = new Map<string, number>();

  next(heading: string): string {
    const lower = heading.toLowerCase();
    // The classes of Unicode take a millisecond to be made ready, and most headings do not need them.
    const kept = /^[\x20-\x7e]*$/.test(lower)
      ? lower.replace(/[^\w\- ]/g, '')
      : lower.replace(/[^\p{L}\p{M}\p{N}\p{Pc}\- ]/gu, '');
    const base = kept.replaceAll(' ', '-');
    let slug = base;
    while (this.#used.has(slug)) {
      const count = this.#used.get(base)! + 1;
      this.#used.set(base, count);
      slug = `${base}-${count}`;
    }
    this.#used.set(slug, 0);
    return slug;
  }
}
