/** The text of a heading without its markup. What makes a link of that (a slug) is the package that does it for Git hosts. */
export function plainHeading(text: string): string {
  if (!/[*_`[\\]/.test(text)) return text.trim();
  return text
    .replace(/!?\[([^\]]*)\]\([^)]*\)/g, '$1')
    .replace(/`+([^`]+)`+/g, '$1')
    .replace(/(\*{1,3}|(?<!\w)_{1,3})(\S(?:.*?\S)?)\1(?!\w)/g, '$2')
    .replace(/\\([!-/:-@[-`{-~])/g, '$1')
    .trim();
}
