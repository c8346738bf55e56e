import { kindInWords, kindOf, Missing, type Value } from '../../model/value.ts';
import { writeJson } from '../../values/json-document.ts';
import { textOf } from '../../values/text.ts';
import { longestText, tooLong } from '../../values/weight.ts';
import { descend } from '../compile-reference.ts';
import type { EvaluationContext } from '../evaluation-context.ts';
import { type Reference, referenceText } from '../reference.ts';
import { encodeForm } from './encode.ts';
import type { Place, Template } from './template.ts';

/** A value that cannot stand where it is referred to; the message names it and where it comes from. */
export class TemplateError extends Error {}

/** The value of a reference. Throws TemplateError where there is none. */
export function valueFor(reference: Reference, context: EvaluationContext): Value {
  const entry = context.lookup(reference.name);
  const stand = entry ? undefined : context.standIn?.(reference);
  if (stand !== undefined) return stand;
  const value = entry
    ? descend(entry.value, reference.path, reference.name)
    : new Missing(`'${reference.name}' has no value here`);
  if (value instanceof Missing) throw new TemplateError(`${value.reason}.`);
  return value;
}

export function refuseValue(reference: Reference, context: EvaluationContext, what: string): never {
  const origin = context.lookup(reference.name)?.origin;
  throw new TemplateError(
    `{${referenceText(reference)}} ${what}${origin === undefined ? '' : ` (${origin})`}.`,
  );
}

/** Fills a template; every value is escaped for its place. Throws TemplateError. */
export function render({ parts }: Template, context: EvaluationContext): string {
  let result = '';
  for (const part of parts) {
    result += typeof part === 'string' ? part : renderReference(part.reference, part.place, context);
    if (result.length > longestText && typeof part !== 'string')
      refuseValue(part.reference, context, `makes what is to be sent too long: ${tooLong}`);
  }
  return result;
}

function renderReference(reference: Reference, place: Place, context: EvaluationContext): string {
  const value = valueFor(reference, context);
  if (place === 'json-value' && !reference.raw) return writeJson(value);
  const text = textOf(value);
  if (text === undefined)
    refuseValue(
      reference,
      context,
      `is ${kindInWords(kindOf(value))}, which cannot stand in a ${placesInWords[place]}`,
    );
  if (place === 'header' && /[\r\n\0]/.test(text))
    refuseValue(reference, context, 'holds a line end or a NUL, which cannot stand in a header');
  if (place === 'yaml-text' && !reference.raw && /[\r\n]|:(?:\s|$)|\s#|[[\]{},]|^[-?:&*!|>'"%@`]/.test(text))
    refuseValue(reference, context, 'holds characters that mean something in YAML; put it in quotes there');
  return reference.raw ? text : escapes[place](text);
}

const placesInWords: { [place in Place]: string } = {
  text: 'text',
  header: 'header',
  'json-value': 'text',
  'json-string': 'JSON string',
  xml: 'text of XML',
  cdata: 'text of XML',
  'yaml-quoted': 'text of YAML',
  'yaml-text': 'text of YAML',
  form: 'form field',
};

const xmlEntities: { [char: string]: string } = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&apos;',
};

const escapes: { [place in Place]: (text: string) => string } = {
  text: text => text,
  header: text => text,
  'json-value': text => JSON.stringify(text),
  'json-string': text => JSON.stringify(text).slice(1, -1),
  xml: text => text.replace(/[&<>"']/g, char => xmlEntities[char]!),
  cdata: text => text.replaceAll(']]>', ']]]]><![CDATA[>'),
  'yaml-quoted': text => text.replaceAll("'", "''"),
  'yaml-text': text => text,
  form: encodeForm,
};
