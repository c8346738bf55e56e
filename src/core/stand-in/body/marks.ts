import { referenceText } from '../../language/reference.ts';
import type { Template } from '../../language/templates/template.ts';

/** Characters that nobody uses: between them stands what is referred to, of any kind, or as a part of a text. */
export const [anyOpen, textOpen, close] = ['\u{F0B70}', '\u{F0B71}', '\u{F0B72}'];
export const reference = new RegExp(`([${anyOpen}${textOpen}])([^${close}]*)${close}`, 'u');

/** A template with its references between marks. */
export function marked({ parts }: Template): string {
  return parts
    .map(part => {
      if (typeof part === 'string') return part;
      const key = referenceText(part.reference);
      return part.place === 'json-value' ? `"${anyOpen}${key}${close}"` : `${textOpen}${key}${close}`;
    })
    .join('');
}

/** A text with marks, whatever the names between them are. */
export function withoutNames(text: string): string {
  return text.replace(new RegExp(reference.source, 'gu'), (_, open) => open);
}

/** A text with marks, as the parts of a pattern. */
export function pieces(text: string): (string | { key: string })[] {
  const parts: (string | { key: string })[] = [];
  let rest = text;
  for (let found = reference.exec(rest); found; found = reference.exec(rest)) {
    if (found.index > 0) parts.push(rest.slice(0, found.index));
    parts.push({ key: found[2]! });
    rest = rest.slice(found.index + found[0].length);
  }
  return rest === '' && parts.length > 0 ? parts : [...parts, rest];
}
