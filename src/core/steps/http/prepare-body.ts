import type { Reference } from '../../language/reference.ts';
import { parseBody, type TemplateForm } from '../../language/templates/body-template.ts';
import { parseFields } from '../../language/templates/fields.ts';
import { parseTemplate, referencesOf, type Template } from '../../language/templates/template.ts';
import { SourceError } from '../../model/finding.ts';
import { resolvePath } from '../../text/paths.ts';
import { withoutPrototype } from '../../text/without-prototype.ts';
import type { PlannedBody } from './planned-request.ts';
import type { BodyText } from './request.ts';

/**
 * Makes a body ready. The fence it stands in decides what it is, else its Content-Type, else its first character.
 * @param given the Content-Type that a header gives
 * @param add told of the errors where several can be found
 */
export function prepareBody(
  body: BodyText,
  given: Template | undefined,
  file: string,
  add: (errors: readonly SourceError[]) => void,
): PlannedBody {
  const { excerpt, start, fence } = body;
  const folder = file.replace(/[^/]*$/, '');
  const typed = (contentType: string) => (given ? {} : { contentType });
  const text = (form: TemplateForm, contentType: string, crlf = false): PlannedBody => ({
    kind: 'text',
    template: parseBody(excerpt, start, form),
    crlf,
    ...typed(contentType),
  });
  switch (fence?.form) {
    case undefined: {
      refuseFileSign(body);
      const contentType = given ? literalTextOf(given) : typeByLook(excerpt.text.slice(start));
      return text(formOf(contentType), contentType);
    }
    case 'json':
      return text('json', 'application/json', fence.crlf);
    case 'xml':
      return text('xml', 'application/xml', fence.crlf);
    case 'yaml':
      return text('yaml', 'application/yaml', fence.crlf);
    case 'text':
      return text('text', 'text/plain; charset=utf-8', fence.crlf);
    case 'form':
    case 'multipart': {
      const { fields, errors } = parseFields(excerpt, fence.form);
      add(errors);
      // The boundary of a multipart body is part of its type, so its type is made with it.
      return fence.form === 'form'
        ? { kind: 'form', fields, folder, ...typed('application/x-www-form-urlencoded') }
        : { kind: 'multipart', fields, folder, ...typed('multipart/form-data') };
    }
    case 'graphql': {
      const variables = body.variables && parseBody(body.variables, 0, 'json');
      return {
        kind: 'graphql',
        document: excerpt.text,
        ...(variables && { variables }),
        ...typed('application/json'),
      };
    }
    case 'file': {
      const lines = excerpt.text.trim().split('\n');
      if (lines.length > 1 || lines[0] === '')
        throw new SourceError(
          'field-line',
          excerpt.range(0, excerpt.text.length),
          'A `file body` holds the path of one file.',
          'It is relative to the page: manifests/manifest.csv',
        );
      const found = /^\s*(?:["'](.*)["']|[@<]\s*(\S.*))\s*$/.exec(lines[0]!);
      const bare = found?.[1] ?? found?.[2];
      if (bare !== undefined)
        throw new SourceError(
          'field-line',
          excerpt.range(0, excerpt.text.length),
          'The path of a file stands alone in its fence.',
          `Write ${bare}`,
        );
      const from = excerpt.text.indexOf(lines[0]!);
      const path = parseTemplate(excerpt, from, from + lines[0]!.trimEnd().length, 'text');
      return { kind: 'file', path, folder, ...typed(typeOfFile(lines[0]!)) };
    }
    default:
      return fence!.form satisfies never;
  }
}

/** What other notations have for a file would be sent as a text. */
function refuseFileSign({ excerpt, start }: BodyText): void {
  const { text } = excerpt;
  const [, path] = /^\s*(?:@|<@?\s+)([^\s@<>]+\.\w+)\s*$/.exec(text.slice(start)) ?? [];
  if (path === undefined) return;
  throw new SourceError(
    'field-line',
    excerpt.range(start, text.length),
    `This would be sent as a text, not the file '${path}'.`,
    'A file has a fence of its own, ```file body, with its path alone.',
  );
}

/** What a body refers to; in a GraphQL document nothing is a reference. */
export function referencesOfBody({ excerpt, start, fence, variables }: BodyText): Reference[] {
  const texts = fence?.form === 'graphql' ? [] : [{ excerpt, start }];
  if (variables) texts.push({ excerpt: variables, start: 0 });
  return texts.flatMap(each =>
    referencesOf(parseTemplate(each.excerpt, each.start, each.excerpt.text.length, 'text')),
  );
}

/** The paths of files that a body sends, as far as they are known before the run, relative to the root. */
export function filesOfBody(body: PlannedBody): { path: string; range?: { start: number; end: number } }[] {
  const literal = (template: Template) =>
    template.parts.every(part => typeof part === 'string') ? [template.parts.join('')] : [];
  switch (body.kind) {
    case 'file':
      return literal(body.path).map(path => ({ path: resolvePath(body.folder, path) }));
    case 'multipart':
      return body.fields
        .filter(field => field.isFile)
        .flatMap(({ value, range }) =>
          literal(value).map(path => ({ path: resolvePath(body.folder, path), range })),
        );
    default:
      return [];
  }
}

/** Whether making a body ready takes the package that reads XML. */
export function needsXml(
  { body }: { readonly body?: BodyText | undefined },
  given: string | undefined,
): boolean {
  if (!body) return false;
  if (body.fence) return body.fence.form === 'xml';
  return formOf(given ?? typeByLook(body.excerpt.text.slice(body.start))) === 'xml';
}

/** Whether a type that the settings give is not what a body in a fence of its own is. */
export function isAnotherType(type: Template, body: BodyText | undefined): boolean {
  if (!body?.fence) return false;
  const { form } = body.fence;
  const given = literalTextOf(type);
  if (form === 'file') return false;
  if (form === 'multipart') return !/^multipart\//i.test(given);
  return form !== 'text' && formOf(given) !== (form === 'graphql' ? 'json' : form);
}

export function literalTextOf(template: Template): string {
  return template.parts.filter(part => typeof part === 'string').join('');
}

function typeByLook(text: string): string {
  const first = text.trimStart()[0];
  if (first === '{' || first === '[') return 'application/json';
  return first === '<' ? 'application/xml' : 'text/plain; charset=utf-8';
}

function formOf(contentType: string): TemplateForm {
  const type = contentType.split(';')[0]!.trim().toLowerCase();
  if (/^[\w.+-]+\/(?:[\w.-]+\+)?json$/.test(type)) return 'json';
  if (/^[\w.+-]+\/(?:[\w.-]+\+)?xml$/.test(type)) return 'xml';
  if (/^[\w.+-]+\/(?:x-|[\w.-]+\+)?yaml$/.test(type)) return 'yaml';
  return type === 'application/x-www-form-urlencoded' ? 'form' : 'text';
}

const typesByEnding: { readonly [ending: string]: string } = withoutPrototype({
  csv: 'text/csv',
  gif: 'image/gif',
  gz: 'application/gzip',
  html: 'text/html',
  jpeg: 'image/jpeg',
  jpg: 'image/jpeg',
  json: 'application/json',
  pdf: 'application/pdf',
  png: 'image/png',
  svg: 'image/svg+xml',
  txt: 'text/plain',
  xml: 'application/xml',
  yaml: 'application/yaml',
  zip: 'application/zip',
});

/** The type that the ending of a file stands for. */
export function typeOfFile(path: string): string {
  return typesByEnding[/\.(\w+)$/.exec(path)?.[1]?.toLowerCase() ?? ''] ?? 'application/octet-stream';
}
