import type { Finding } from '../model/finding.ts';
import type { Range, Source } from '../model/source.ts';

/** What a finding may show of itself and of its line: no secret that is written there. */
export interface Shown {
  readonly message: string;
  readonly remedy?: string;
  /** The line of its place, as long as it is; nothing where no part of the file is ever shown. */
  readonly line?: string;
}

/** A file whose every value is secret. */
const secretFile = /(?:^|[\\/])mervok\.secret\.ya?ml$/;

/** Keys and headers whose values nobody should read, and what stands behind them. */
const named =
  /((?:^|[\s{,"'?&])(?:bearer|secret|(?:[\w-]*(?:pass(?:word|phrase|wd)|secret|token|api[-_]?key|private[-_]?key|credential)[\w-]*(?<!-url)))["']?\s*(?::|=(?!=))\s*|^\s*(?:-\s+)?value:\s+|api-key:.*?\bvalue["']?:\s*|^\s*"?(?:proxy-)?authorization"?:\s*(?:\w+\s+(?=\S))?|^\s*(?:set-)?cookie:\s*)("(?:[^"\\]|\\.)*"?|'(?:[^']|'')*'?|\{\+?[\w.-]+\}|[^\s,}{#[][^,}#]*)/gi;
const inAddress = /(:\/\/)([^/?#\s@"']*:[^/?#\s@"']*)(?=@)/g;
/** Of these a value says nothing: a reference, a word of the settings, a type. */
const harmless =
  /^["']?(?:(?:\w+ )?\{\+?[\w.-]+\}|true|false|none|null|~|text|number|integer|boolean|list|object|exists|absent)["']?\s*$/;

/** What may be shown of a finding. */
export function shownOf({ source, range, code, message, remedy }: Finding): Shown {
  const { line } = source.position(range.start);
  const text = source.lineText(line);
  const isSecretFile = secretFile.test(source.file);
  const hidden = isSecretFile ? [text] : hiddenIn(text);
  const say = (said: string) => (isSecretFile ? withoutValues(said, source.text) : without(said, hidden));
  const shown = code === 'secret-written' ? withoutWritten(source, range) : blank(text);
  return {
    message: say(message),
    ...(remedy !== undefined && { remedy: say(remedy) }),
    ...(!isSecretFile && { line: shown }),
  };
}

/** The line of a secret that is written out, with it blanked. */
export function withoutWritten(source: Source, { start, end }: Range): string {
  const { line } = source.position(start);
  return blank(blankRange(source.lineText(line), start - source.lineStart(line), end - start));
}

/** A line with its secrets blanked, each character for itself. */
function blank(line: string): string {
  return line
    .replace(named, (whole: string, key: string, value: string) =>
      harmless.test(value) ? whole : key + stars(value),
    )
    .replace(inAddress, (_whole, slashes: string, credentials: string) => slashes + stars(credentials));
}

function stars(text: string): string {
  return text.replace(/[^\s"']/gu, '*');
}

/** What looks like a secret by its place: a value behind its name, or all of it. */
function blankRange(line: string, start: number, length: number): string {
  const written = line.slice(start, start + length);
  const lead = /^[^:=]*[:=]\s*/.exec(written)?.[0] ?? '';
  const value = written.slice(lead.length);
  const shown = value.includes('{') || value.includes(':') ? value : stars(value);
  return line.slice(0, start) + lead + shown + line.slice(start + length);
}

function hiddenIn(line: string): string[] {
  const values = [...line.matchAll(named)].flatMap(([, , value]) =>
    harmless.test(value!) ? [] : value!.replace(/^["']|["']?\s*$/g, ''),
  );
  return [...values, ...[...line.matchAll(inAddress)].map(([, , credentials]) => credentials!)].filter(
    value => value.length > 0,
  );
}

function without(said: string, hidden: readonly string[]): string {
  return hidden.reduce((text, value) => text.replaceAll(value, '…'), said);
}

/** Of a file of secrets a message names keys alone. */
function withoutValues(said: string, file: string): string {
  const isKey = (word: string) =>
    new RegExp(`(?:^|[\\s{,"'-])${word.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')}["']?\\s*:`).test(file);
  return said
    .replace(/'([^']*)'/g, (quoted, word: string) => (!file.includes(word) || isKey(word) ? quoted : "'…'"))
    .replace(/: (?=[^:]*$)(\S.*)$/, (rest, tail: string) =>
      file.includes(tail.replace(/\.$/, '')) ? ': ….' : rest,
    );
}
