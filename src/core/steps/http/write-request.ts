import type { BodyFenceForm } from '../../pages/fence.ts';

/** A request as somebody gives it; nothing in it is a reference. */
export interface GivenRequest {
  readonly method: string;
  readonly target: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body?: { readonly form: BodyFenceForm; readonly text: string };
}

/** The fences of a request, such that it goes out as it was given. */
export function writeRequest({ method, target, headers, body }: GivenRequest): string {
  const lines = [
    `${method} ${target.replaceAll('{', '%7B').replaceAll('}', '%7D')}`,
    ...headers.map(([name, value]) => `${name}: ${withoutReferences(value)}`),
  ];
  const fences = [fence('http', lines.join('\n'))];
  if (body) {
    const text = body.form === 'graphql' ? body.text : withoutReferences(body.text);
    fences.push(fence(`${body.form} body`, text));
  }
  return fences.join('\n\n');
}

/** A page with a request as a new case behind what it holds; that stays as it is, and so do its line ends. */
export function writeCase(page: string, heading: string, request: GivenRequest, status: number): string {
  const gap = page === '' || /\n\r?\n$/.test(page) ? '' : page.endsWith('\n') ? '\n' : '\n\n';
  const added = `${gap}## ${heading}\n\n${writeRequest(request)}\n\n${fence('mervok', `status = ${status}`)}\n`;
  return page + (page.includes('\r\n') ? added.replaceAll('\n', '\r\n') : added);
}

/** The marks are longer than any in the text. */
function fence(info: string, text: string): string {
  const longest = Math.max(2, ...(text.match(/`+/g) ?? []).map(marks => marks.length));
  const marks = '`'.repeat(longest + 1);
  return `${marks}${info}\n${text.replace(/\n$/, '')}\n${marks}`;
}

/** Braces that would begin a reference, and those behind a backslash, which would lose it. */
function withoutReferences(text: string): string {
  return text.replace(/\{(?=\+?[A-Za-z][\w-]*(?:\.[\w-]+)*\})|(?<=\\)\{/g, '\\{');
}
