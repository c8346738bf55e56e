// What comes from a definition or a recording is text, never markup that does something.

const control = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069\ufeff]/g;

/** So much of a description is taken over: a page is to be read. */
const longest = 1500;

/**
 * Markdown whose headings and fences do nothing: a heading is text, a fence shows text, and what would begin a block of
 * HTML is written out.
 */
export function inactiveProse(text: string): string {
  const lines = shortened(withoutTags(text.replace(/\r\n?/g, '\n').replace(control, ''))).split('\n');
  const written: string[] = [];
  let open: { readonly mark: string; readonly length: number } | undefined;
  for (const line of lines) {
    const [, marks = '', rest = ''] = /^(`{3,}|~{3,})(.*)$/.exec(line) ?? [];
    if (open) {
      written.push(line);
      if (marks.startsWith(open.mark) && marks.length >= open.length && rest.trim() === '') open = undefined;
    } else if (marks !== '' && !rest.includes('`')) {
      open = { mark: marks[0]!, length: marks.length };
      written.push(`${marks}text`);
    } else written.push(inactiveLine(line));
  }
  if (open) written.push(open.mark.repeat(open.length));
  return written.join('\n').trim();
}

/** Tags that only part or stress what is said become paragraphs and items, or nothing; code keeps them. */
function withoutTags(text: string): string {
  if (/^\s*(?:`{3}|~{3})/m.test(text)) return text;
  return text
    .replace(/(?:[ \t]*<\/?(?:br|p|div)\b[^<>]{0,200}>\s*)+/gi, '\n\n')
    .replace(/[ \t]*<li\b[^<>]{0,200}>\s*/gi, '\n- ')
    .replace(/<\/?(?:[uo]l|li|span|b|i|em|strong|font)\b[^<>]{0,200}>/gi, '')
    .replace(/\n{3,}/g, '\n\n')
    .trim();
}

/** As many paragraphs as have room; the first one in any case, cut where it is too long. */
function shortened(text: string): string {
  if (text.length <= longest) return text;
  const end = text.lastIndexOf('\n\n', longest);
  return end > 200 ? text.slice(0, end) : `${text.slice(0, longest).replace(/\s+\S*$/, '')} …`;
}

/** Fences inside of lists and quotes are written out too, headings wherever they stand. */
function inactiveLine(line: string): string {
  const [, lead = '', rest = ''] = /^((?:\s|[-*+>]\s|>|\d+[.)]\s)*)(.*)$/.exec(line) ?? [];
  const plain = rest
    .replace(/^(#{1,6})(?=\s|$)/, '\\$1')
    .replace(/^(=+|-+|_{3,}|\*{3,}|\+{3,})\s*$/, '\\$1')
    .replace(/`{3,}|~{3,}/g, marks => [...marks].map(mark => `\\${mark}`).join(''))
    .replace(/^<(?=[A-Za-z/!?])/, '\\<');
  // Four spaces would make code of what was an item of a list, and hide what is below it.
  return lead.replace(/^\t+|^ {4,}/, '   ') + plain;
}

/** One line that can stand as a heading, without its full stop. */
export function headingText(text: string, most = 90): string {
  const line = text
    .replace(control, '')
    .replace(/\s+/g, ' ')
    .trim()
    .replace(/[.:]+$/, '');
  const cut = line.length > most ? `${line.slice(0, most).replace(/\s+\S*$/, '')} …` : line;
  return cut.replace(/[\\`*_[\]<#]/g, '\\$&').replace(/^([-+>]|\d+[.)])/, '\\$1');
}

/** A name of letters, digits and dashes. */
export function slugOf(text: string, fallback: string): string {
  const plain = text
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/([a-z\d])([A-Z])/g, '$1-$2')
    .toLowerCase()
    .replace(/[^a-z\d]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
    .replace(/-+$/, '');
  if (plain === '') return fallback;
  // Names that some systems keep for devices.
  return /^(?:con|prn|aux|nul|com\d|lpt\d)$/.test(plain) ? `${plain}-page` : plain;
}

/** Gives each name once; what comes again gets a number. */
export class UniqueNames {
  readonly #taken = new Set<string>();

  constructor(taken: Iterable<string> = []) {
    for (const each of taken) this.#taken.add(each.toLowerCase());
  }

  /** @param others what is taken before a number */
  take(name: string, ...others: readonly string[]): string {
    let free = [name, ...others].find(each => !this.#isTaken(each)) ?? name;
    for (let number = 2; this.#isTaken(free); number++) free = this.#numbered(name, number);
    this.#taken.add(free.toLowerCase());
    return free;
  }

  #isTaken(name: string): boolean {
    return this.#taken.has(name.toLowerCase());
  }

  /** A title is no name of a file or a value. */
  #numbered(name: string, number: number): string {
    return /^[a-z\d-]+$/.test(name) ? `${name}-${number}` : `${name} (${number})`;
  }
}

/** A name of the language: letters, digits and dashes, a letter first. */
export function nameOf(text: string, fallback = 'value'): string {
  const name = slugOf(text, fallback);
  return /^[a-z]/.test(name) ? name : `${fallback}-${name}`;
}

/** A name as words; what has words already keeps its letters. */
export function wordsOf(name: string): string {
  const text = /\s/.test(name) ? name : name.replace(/([a-z\d])([A-Z])/g, '$1 $2').replace(/[-_]+/g, ' ');
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

/** `Find by id`, of what programs call `TodoController.findById` or `TodoController_findById`. */
export function sentenceOf(id: string): string {
  const text = wordsOf(id.split(/[./:]|Controller_/).at(-1)!);
  return /[a-z] [A-Z][a-z]/.test(text) ? text.slice(0, 1) + text.slice(1).toLowerCase() : text;
}
