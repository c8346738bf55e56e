import { compilePattern } from '../../core/language/patterns.ts';
import { Missing } from '../../core/model/value.ts';
import type { AnswerValue } from './answer-value.ts';

// Values that a page of HTML or a document of XML gives: what its forms send back, where its links lead, and what its
// elements hold. They are taken by patterns; one counts only where its first match is the value.

type Found = Generator<AnswerValue>;

type Asked = (value: string) => boolean;

export function* htmlValues(page: string, isAsked: Asked): Found {
  let list: string | undefined;
  for (const match of page.matchAll(/<([a-z][\w-]*)(\s[^<>]{0,2000})>/gi)) {
    const tag: Tag = {
      name: match[1]!.toLowerCase(),
      attributes: attributesOf(match[2]!),
      end: match.index + match[0].length,
    };
    if (tag.name === 'select') list = tag.attributes.get('name')?.value;
    else if (tag.name === 'option') yield* optionValue(page, tag, list, isAsked);
    else if (/^(?:meta|input|button)$/.test(tag.name)) yield* fieldValue(page, tag, isAsked);
    for (const [name, { value }] of tag.attributes)
      if (leading.test(name)) yield* linkValues(page, value, tag.end, isAsked);
  }
  yield* writtenValues(page, isAsked);
}

/** What scripts read: their own words, and what stands beside elements for them. */
function* writtenValues(page: string, isAsked: Asked): Found {
  const ofPage = /^(?:class|style|src|href|action|value|content|name|type|rel|title|alt|for)$/i;
  for (const match of page.matchAll(/["']? ?[:=] ?["']([^"'<>\s\\]{6,500})["']/g)) {
    const value = match[1]!;
    if (!/\d/.test(value) || !isAsked(value)) continue;
    const name = /[\w-]+$/.exec(page.slice(Math.max(0, match.index - 60), match.index))?.[0];
    if (name === undefined || ofPage.test(name)) continue;
    const sign = match[0].slice(0, -1 - value.length);
    const pattern = quoted(name + sign) + String.raw`([^"'<>\s]+)`;
    yield {
      value,
      member: name.replace(/^data-/, ''),
      isForScripts: true,
      source: () => firstMatch(page, [pattern], value),
    };
  }
}

/** Attributes with an address, of pages that ask for parts of themselves too. */
const leading = /^(?:href|action|formaction|hx-(?:get|post|put|patch|delete))$/;

export function* xmlValues(text: string, isAsked: Asked): Found {
  const around: string[] = [];
  for (const [, end, name = '', empty, value = ''] of text.matchAll(
    /<(\/?)([A-Za-z_][\w.:-]{0,100})(?:\s[^<>]{0,2000}?)?(\/?)>([^<]{0,500})/g,
  )) {
    if (end) around.pop();
    else if (!empty) {
      const patterns = ['', String.raw`\s[^>]*`].map(more => `<${quoted(name)}${more}>([^<]*)<`);
      if (isAsked(value))
        yield {
          value,
          member: withoutPrefix(name),
          around: around.at(-1),
          source: () => firstMatch(text, patterns, value),
        };
      around.push(withoutPrefix(name));
    }
  }
}

function withoutPrefix(name: string): string {
  return name.replace(/^.*:/, '');
}

interface Tag {
  readonly name: string;
  /** By their names in small letters. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  /** Behind it, in the page. */
  readonly end: number;
}

interface Attribute {
  /** As it is written. */
  readonly name: string;
  /** What stands around its value, if anything does. */
  readonly quote: string;
  readonly value: string;
  readonly at: number;
}

function attributesOf(text: string): ReadonlyMap<string, Attribute> {
  const found = new Map<string, Attribute>();
  for (const match of text.matchAll(/([\w:-]+)=(?:(["'])(.*?)\2|([^\s"'>]+))/gs)) {
    const [, name = '', quote = '', inQuotes, bare] = match;
    const attribute = { name, quote, value: inQuotes ?? bare!, at: match.index };
    if (!found.has(name.toLowerCase())) found.set(name.toLowerCase(), attribute);
  }
  return found;
}

/** What a form sends back, such as a token against forged requests, or names for scripts to send. */
function* fieldValue(page: string, { name: tag, attributes }: Tag, isAsked: Asked): Found {
  const type = attributes.get('type')?.value.toLowerCase() ?? '';
  const name = attributes.get('name');
  const value = attributes.get(tag === 'meta' ? 'content' : 'value');
  if (!name || !value || !isAsked(value.value)) return;
  if (tag === 'input' && !/^(?:hidden|radio|checkbox|submit)$/.test(type)) return;
  // Of what is told about a page only what guards its requests is sent back.
  const guards = /csrf|xsrf|forgery|authenticity|verification/i.test(name.value);
  if (tag === 'meta' && !guards) return;
  const field = `${name.name}=${name.quote}${quoted(name.value)}${name.quote}`;
  const given = takenValue(value);
  const pattern = name.at < value.at ? `${field}[^>]*${given}` : `${given}[^>]*${field}`;
  yield {
    value: value.value,
    member: guards && !/token/i.test(name.value) ? `${name.value}-token` : name.value,
    source: () => firstMatch(page, [pattern], value.value),
  };
}

/** What is chosen is named by what is shown, where that is not the value itself. */
function* optionValue(page: string, tag: Tag, list: string | undefined, isAsked: Asked): Found {
  const value = tag.attributes.get('value');
  if (!list || !value || !/\d/.test(value.value) || !isAsked(value.value)) return;
  const shown = textBehind(page, tag.end);
  if (shown === '' || shown === value.value) return;
  const patterns = ['', String.raw`\s*`].map(
    space => `<option[^>]*${takenValue(value)}[^>]*>${space}${quoted(shown)}`,
  );
  yield {
    value: value.value,
    member: 'id',
    around: list,
    source: () => firstMatch(page, patterns, value.value),
  };
}

function takenValue({ name, quote }: Attribute): string {
  return quote === '' ? String.raw`${name}=([^\s>]+)` : `${name}=${quote}([^${quote}]*)${quote}`;
}

/** What an address names behind a word or after a name, as in `/orders/417` and `?order=417`. */
function* linkValues(page: string, link: string, end: number, isAsked: Asked): Found {
  const address = link.replace(/^https?:\/\/[^/]*|#.*$/gi, '');
  for (const match of address.matchAll(
    /(?:\/([A-Za-z][\w-]*)\/|[?&;]([A-Za-z][\w.-]*)=)([^/?#&;]*\d[^/?#&;]*)/g,
  )) {
    const [all, before, name, value = ''] = match;
    if (!isAsked(value)) continue;
    const lead = before === undefined ? `[?&;]${quoted(name!)}=` : String.raw`\/${quoted(before)}\/`;
    const start = lead + (/^[\w-]+$/.test(value) ? String.raw`([\w-]+)` : String.raw`([^"'\/?#&;<>\s]+)`);
    const rest = /^[^\d"']*/.exec(address.slice(match.index + all.length))![0];
    const shown = textBehind(page, end);
    const patterns = [start];
    if (rest !== '') patterns.push(start + quoted(rest));
    if (shown !== '')
      for (const between of ['', String.raw`\s*`, String.raw`(?:\s|<[^>]*>)*`])
        patterns.push(`${start}[^>]*>${between}${quoted(shown)}`);
    yield {
      value,
      ...(before === undefined ? { member: name! } : { member: 'id', around: before }),
      source: () => firstMatch(page, patterns, value),
    };
  }
}

/** The words that are shown right behind a tag. */
function textBehind(page: string, end: number): string {
  return /^(?:\s|<[^<>/]{0,300}>)*([^<>\n]{0,60})/.exec(page.slice(end, end + 1000))?.[1]?.trim() ?? '';
}

/** The first of the patterns whose first match in a text is the value, as a statement takes it. */
function firstMatch(text: string, patterns: readonly string[], value: string): string | undefined {
  // What ends a line would end the statement too.
  const pattern = patterns.find(
    each => !/[\u0000-\u001f\u0085\u2028\u2029]/.test(each) && isFirst(text, each, value),
  );
  return pattern && `body /${pattern}/`;
}

function isFirst(text: string, pattern: string, value: string): boolean {
  const found = compilePattern(pattern, '').matches(text, 1);
  return !(found instanceof Missing) && found[0] === value;
}

function quoted(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/]/g, String.raw`\$&`);
}
