import type { SourceError } from '../../model/finding.ts';
import { Excerpt, Source } from '../../model/source.ts';
import { readRequest } from './read-request.ts';
import type { BodyForm, WrittenRequest } from './request.ts';

/** A request as somebody gives it; nothing in it is a reference. */
export interface GivenRequest {
  readonly method: string;
  readonly target: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body?: { readonly form: BodyForm; readonly text: string };
}

/** The head of a request, as a page has it. */
function headOf({ method, target, headers }: GivenRequest): string {
  return [
    `${method} ${target.replaceAll('{', '%7B').replaceAll('}', '%7D')}`,
    ...headers.map(([name, value]) => `${name}: ${withoutReferences(value)}`),
  ].join('\n');
}

function bodyOf({ body }: GivenRequest): string | undefined {
  return body && (body.form === 'graphql' ? body.text : withoutReferences(body.text)).replace(/\n$/, '');
}

/** The fences of a request, such that it goes out as it was given. */
export function writeRequest(request: GivenRequest): string {
  const fences = [fence('http', headOf(request))];
  if (request.body) fences.push(fence(`${request.body.form} body`, bodyOf(request)!));
  return fences.join('\n\n');
}

/**
 * A request as somebody gives it, as a step: what is wrong with it stands in a source of its own.
 * @param name of that source, as messages call it
 */
export function readGiven(
  request: GivenRequest,
  name: string,
): { source: Source; step?: WrittenRequest; errors: readonly SourceError[] } {
  const [head, body] = [headOf(request), bodyOf(request)];
  const source = new Source(name, body === undefined ? head : `${head}\n\n${body}`);
  const { step, errors } = readRequest(new Excerpt(source, head, 1));
  if (!step || body === undefined) return { source, ...(step && { step }), errors };
  const excerpt = new Excerpt(source, body, head.split('\n').length + 2);
  const { form } = request.body!;
  return { source, step: { ...step, body: { excerpt, start: 0, fence: { form, crlf: false } } }, errors };
}

/** A page with a request as a new case behind what it holds; that stays as it is, and so do its line ends. */
export function writeCase(page: string, heading: string, request: GivenRequest, status: number): string {
  const gap = page === '' || /\n\r?\n$/.test(page) ? '' : page.endsWith('\n') ? '\n' : '\n\n';
  const added = `${gap}## ${heading}\n\n${writeRequest(request)}\n\n${fence('mervok', `status = ${status}`)}\n`;
  return page + (page.includes('\r\n') ? added.replaceAll('\n', '\r\n') : added);
}

/** A fence whose marks are longer than any in its text. */
export function fence(info: string, text: string): string {
  let longest = 2;
  for (const [marks] of text.matchAll(/`+|~+/g)) longest = Math.max(longest, marks.length);
  const marks = '`'.repeat(longest + 1);
  return `${marks}${info}\n${text.replace(/\n$/, '')}\n${marks}`;
}

/** Braces that would begin a reference, and those behind a backslash, which would lose it. */
export function withoutReferences(text: string): string {
  return text.replace(/\{(?=\+?[A-Za-z][\w-]*(?:\.[\w-]+)*\})|(?<=\\)\{/g, '\\{');
}
