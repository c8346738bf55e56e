import { referenceText } from '../core/language/reference.ts';
import { findPieces } from '../core/language/templates/template.ts';
import { redactHeaders } from '../core/secrecy/redact-headers.ts';
import { html, Markup } from '../reports/page/markup.ts';

/** Where a name comes from, as a link; nothing where there is none. */
export type LinkOfName = (name: string) => string | undefined;

/** A request or a response with its parts marked, its references as links. */
export function messageMarkup(text: string, link: LinkOfName): Markup {
  const [head = '', ...rest] = text.split(/\n[ \t]*\n/);
  const [first = '', ...fields] = head.split('\n');
  const body = rest.join('\n\n');
  const lines = [firstLine(first, link), ...fields.map(each => fieldLine(each, link))];
  return html`${join(lines)}${
    body !== '' &&
    html`

${bodyMarkup(body, link)}`
  }`;
}

function firstLine(line: string, link: LinkOfName): Markup {
  const [, word = '', rest = ''] = /^\s*(\S+)(.*)$/.exec(line) ?? [];
  return html`<b class="verb">${word}</b>${withReferences(rest, link)}`;
}

function fieldLine(line: string, link: LinkOfName): Markup {
  const [, name = '', rest = line] = /^([^:\s]+):(.*)$/.exec(line) ?? [];
  if (name === '') return withReferences(rest, link);
  // One that is written out is nobody's business; what refers to a name shows no more than that.
  const value = rest.includes('{') ? rest : redactHeaders([[name, rest]])[0]![1];
  return html`<span class="field">${name}:</span>${value !== rest && ' '}${withReferences(value, link)}`;
}

function join(lines: readonly Markup[]): Markup {
  return new Markup(lines.map(({ text }) => text).join('\n'));
}

const json = /("(?:[^"\\]|\\.)*")(\s*:)?|(-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null)\b/g;
const xml = /(<!--[\s\S]*?-->)|(<\/?[\w:.-]+)|("[^"]*")/g;

/** JSON and XML in their parts; all else as it is. */
export function bodyMarkup(text: string, link: LinkOfName): Markup {
  const start = text.trimStart()[0];
  if (start === '{' || start === '[')
    return marked(
      text,
      json,
      link,
      ([, quoted, colon]) => (quoted === undefined ? 'scalar' : colon === undefined ? 'text' : 'name'),
      1,
    );
  if (start === '<')
    return marked(
      text,
      xml,
      link,
      ([, comment, tag]) => (comment !== undefined ? 'comment' : tag === undefined ? 'text' : 'name'),
      0,
    );
  return withReferences(text, link);
}

function marked(
  text: string,
  pattern: RegExp,
  link: LinkOfName,
  classOf: (found: RegExpMatchArray) => string,
  part: number,
): Markup {
  let result = '';
  let at = 0;
  for (const found of text.matchAll(pattern)) {
    const token = (part === 1 ? (found[1] ?? found[0]) : found[0])!;
    result += withReferences(text.slice(at, found.index), link).text;
    result += `<span class="${classOf(found)}">${withReferences(token, link).text}</span>`;
    at = found.index + token.length;
  }
  return new Markup(result + withReferences(text.slice(at), link).text);
}

const nowhere = { start: 0, end: 0 };

/** A text with its references marked, those that lead somewhere as links. */
export function withReferences(text: string, link: LinkOfName): Markup {
  let result = '';
  let at = 0;
  for (const { start, end, reference } of findPieces(text, 0, text.length, () => nowhere)) {
    if (!reference) continue;
    const written = text.slice(start, end);
    const to = link(reference.name);
    result += html`${text.slice(at, start)}`.text;
    result += (
      to === undefined
        ? html`<span class="reference">${written}</span>`
        : html`<a class="reference" href="${to}" title="${referenceText(reference)}">${written}</a>`
    ).text;
    at = end;
  }
  return new Markup(result + html`${text.slice(at)}`.text);
}
