import { existsSync, readFileSync, statSync } from 'node:fs';
import { resolve } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import type { Value } from '../core/model/value.ts';
import { type BodyForm, bodyForms } from '../core/steps/http/request.ts';
import type { GivenRequest } from '../core/steps/http/write-request.ts';
import { didYouMean, inWords } from '../core/text/words.ts';
import { readTime } from './read-options.ts';

export interface RequestFlags {
  readonly header?: readonly string[];
  readonly body?: readonly string[];
  readonly as?: string;
}

/** A request from the words of the command line: a method and a URL, or a URL alone. Throws UsageError. */
export function readGivenRequest(words: readonly string[], flags: RequestFlags): GivenRequest {
  const body = readBody(flags.body ?? [], flags.as);
  const isAddress = (word: string) => /^(?:https?:\/\/|\/)/i.test(word);
  const [first = '', second, extra] = isAddress(words[0]!) ? [words[0]!, undefined, words[1]] : words;
  if (extra !== undefined) throw new UsageError(`'${extra}' is not taken. ${wordMeant(extra)}`);
  const [method, target] = second === undefined ? [body ? 'POST' : 'GET', first] : [first, second];
  if (second === undefined && /^(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS)$/i.test(first))
    throw new UsageError(
      `The address is missing: mervok send ${first.toUpperCase()} /berths, or the whole URL.`,
    );
  if (existsSync(`${target}.md`))
    throw new UsageError(`'${target}' is no address. Did you mean '${target}.md'?`);
  if (!isAddress(target))
    throw new UsageError(
      `'${target}' is no address: it begins with http:// or https://, or with / where there is a collection.${withScheme(target)}`,
    );
  if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(method))
    throw new UsageError(`'${method}' is no method. For example: mervok send GET ${target}`);
  return {
    method: method.toUpperCase(),
    target,
    headers: (flags.header ?? []).map(readHeader),
    ...(body && { body }),
  };
}

/** What a word is meant for that stands behind the address. */
function wordMeant(word: string): string {
  if (/^[\w-]+:(?!\/\/)/.test(word)) return `A header is given by: -H '${word}'`;
  if (/^[[{<]/.test(word)) return `A body is given by: --body '${word}'`;
  const [, name, value] = /^([\w.-]+)==?(.*)$/.exec(word) ?? [];
  if (name !== undefined)
    return `A field of a form is given by: --as form --body ${name}=${value}; a value of a variable by: --set ${name}=${value}`;
  return 'There is a method and a URL; the rest is said by options: mervok send --help';
}

/** For something that begins like a host. */
function withScheme(target: string): string {
  const [, host = ''] = /^([\w.-]+\.\w+|localhost|[\w.-]+(?=:\d))(?::\d+)?(?:[/?#]|$)/i.exec(target) ?? [];
  if (host === '') return '';
  const scheme = /^(?:localhost|[\d.]+)$/i.test(host) ? 'http' : 'https';
  return ` Did you mean ${scheme}://${target}?`;
}

export interface TransportFlags {
  readonly timeout?: string;
  readonly ca?: string;
  readonly cert?: string;
  readonly key?: string;
  readonly unverified?: boolean;
}

/** What options say of how a request goes out, as the settings of a case say it. Throws UsageError. */
export function readGivenSettings({ timeout, ca, cert, key, unverified }: TransportFlags): Value {
  if ((cert === undefined) !== (key === undefined))
    throw new UsageError('A client certificate and its key come together: --cert FILE --key FILE');
  const files = Object.entries({ ca, cert, key }).flatMap(([name, path]) =>
    path === undefined ? [] : [[name, readPath(path)] as const],
  );
  const tls = { ...Object.fromEntries(files), ...(unverified && { verify: false }) };
  return {
    ...(timeout !== undefined && { timeout: `${readTime('--timeout', timeout)} ms` }),
    ...(Object.keys(tls).length > 0 && { tls }),
  };
}

function readPath(path: string): string {
  const absolute = resolve(path);
  if (!statSync(absolute, { throwIfNoEntry: false })?.isFile())
    throw new UsageError(`There is no file '${path}'.`);
  // In a setting, braces would be those of a reference.
  return absolute.replaceAll('{', '\\{');
}

function readHeader(text: string): [string, string] {
  const at = text.indexOf(':');
  if (at < 1) throw new UsageError(`'${text}' is no header. For example: -H 'Accept: application/json'`);
  return [text.slice(0, at).trim(), text.slice(at + 1).trim()];
}

function readBody(given: readonly string[], as: string | undefined): GivenRequest['body'] {
  if (as !== undefined && !(bodyForms as readonly string[]).includes(as))
    throw new UsageError(
      `A body cannot be sent as '${as}'. ${didYouMean(as, bodyForms) ?? `There are ${inWords(bodyForms)}.`}`,
    );
  if (given.length === 0) {
    if (as !== undefined) throw new UsageError('--as is about a body, and there is no --body.');
    return undefined;
  }
  const [only = ''] = given;
  if (given.length === 1 && only.startsWith('@')) return readBodyFile(only.slice(1), as as BodyForm);
  const text = given.join('\n');
  return { form: (as as BodyForm) ?? formByLook(text), text };
}

function readBodyFile(path: string, as: BodyForm | undefined): GivenRequest['body'] {
  const absolute = resolve(path);
  if (!statSync(absolute, { throwIfNoEntry: false })?.isFile())
    throw new UsageError(`There is no file '${path}' to be sent.`);
  if (as === undefined || as === 'file') return { form: 'file', text: absolute };
  return { form: as, text: readFileSync(absolute, 'utf8') };
}

function formByLook(text: string): BodyForm {
  const first = text.trimStart()[0];
  if (first === '{' || first === '[') return 'json';
  return first === '<' ? 'xml' : 'text';
}
