import { isObject, type Value } from '../../core/model/value.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { percentDecoded } from '../../core/text/percent.ts';
import { isNumeric, numberText } from '../../core/values/number.ts';
import { fieldLine } from '../field-lines.ts';
import type { ImportedRequest } from '../imported.ts';
import { jsonText, Named } from '../json-text.ts';
import { isSecret, type RecordedNames } from './recorded-names.ts';
import { pairsIn, readDocument } from './recorded-parts.ts';
import type { RecordedBody, RecordedField } from './recording.ts';
import type { SentFiles } from './sent-files.ts';
import { subjectsOf } from './subjects.ts';

/** Writes what recorded requests carry. */
export class BodyWriter {
  /** @param around words of what the request is about, where a name does not say it; the nearest first */
  constructor(
    readonly names: RecordedNames,
    readonly files: SentFiles,
    readonly around: readonly string[],
  ) {}

  /** The type goes to the headers, where the form of the body does not say it. */
  write(
    { contentType, text, fields }: RecordedBody,
    headers: [string, string][],
  ): ImportedRequest['body'] | undefined {
    const type = contentType.replace(/;\s*boundary=.*$/i, '').trim();
    if (/^application\/x-www-form-urlencoded/i.test(type)) {
      const pairs =
        fields.length > 0
          ? fields.map(({ name, value = '' }) => [percentDecoded(name), percentDecoded(value)] as const)
          : pairsIn(text ?? '');
      return { form: 'form', text: this.fields(pairs) };
    }
    if (/^multipart\//i.test(type))
      return { form: 'multipart', text: fields.flatMap(each => this.#part(each)).join('\n') };
    if (text === undefined) return undefined;
    const document = /json/i.test(type) ? readDocument(text) : undefined;
    const graph = document === undefined ? undefined : this.#graphql(document);
    if (graph && /^application\/json$/i.test(type)) return graph;
    if (type !== '') headers.push(['Content-Type', withoutReferences(type)]);
    if (document !== undefined) return { text: jsonText(this.#document(document, '', this.around)) };
    return { form: 'text', text: withoutReferences(text) };
  }

  /** Lines of a form. */
  fields(pairs: Iterable<readonly [name: string, value: string]>): string {
    return [...pairs].flatMap(([name, value]) => this.#field(name, value)).join('\n');
  }

  #part({ name, value = '', file, type }: RecordedField): string[] {
    if (file === undefined) return this.#field(name, value);
    const path = this.files.pathOf(file, value);
    const isPlain = type === undefined || !/^[\w.+-]+\/[\w.+-]+$/.test(type) || /octet-stream/i.test(type);
    const written = `file "${path}"${isPlain ? '' : ` as ${type}`}`;
    return fieldLine(name, { written });
  }

  #field(name: string, value: string): string[] {
    const sent = { value, subjects: subjectsOf(name, this.around) };
    const known = this.names.namedOrSecret(name, sent, `What '${name}' is.`);
    return fieldLine(name, known === undefined ? value : { written: `{${known}}` });
  }

  /** A document of one operation, whose name says nothing more. */
  #graphql(value: Value): ImportedRequest['body'] | undefined {
    if (!isObject(value)) return undefined;
    const { query, operationName: _, variables, ...more } = value;
    if (typeof query !== 'string' || Object.keys(more).length > 0) return undefined;
    if (!/^(?:\s|#.*\n)*(?:query|mutation|subscription|fragment|\{)/.test(query)) return undefined;
    if ([...query.matchAll(/(?:^|\})[\s,]*(?:query|mutation|subscription)\b/g)].length > 1) return undefined;
    // What a document says itself has no place for a reference: it is masked.
    for (const [, name = '', said = ''] of query.matchAll(/\b(\w+)\s*:\s*"((?:[^"\\]|\\.)*)"/g))
      if (isSecret(name, said)) this.names.secret(name, said, `What '${name}' is.`);
    const given = isObject(variables) && Object.keys(variables).length > 0 ? variables : undefined;
    return {
      form: 'graphql',
      text: query,
      ...(given && { variables: jsonText(this.#document(given, '', this.around)) }),
    };
  }

  /** Values that come from elsewhere by their names. */
  #document(value: Value, name: string, around: readonly string[]): unknown {
    if (Array.isArray(value)) return value.map(each => this.#document(each, name, around));
    if (isObject(value)) {
      const inner = name === '' ? around : [name, ...around];
      return Object.fromEntries(
        Object.entries(value).map(([key, each]) => [key, this.#document(each, key, inner)]),
      );
    }
    if (typeof value !== 'string' && !isNumeric(value)) return value;
    const sent = {
      value: typeof value === 'string' ? value : numberText(value),
      subjects: subjectsOf(name, around),
    };
    const known = this.names.namedOrSecret(name, sent, `What '${name}' is.`);
    return known === undefined ? value : new Named(known, typeof value === 'string');
  }
}
