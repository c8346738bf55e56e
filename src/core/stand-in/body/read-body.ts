import type { Template } from '../../language/templates/template.ts';
import type { PlannedBody } from '../../steps/http/planned-request.ts';
import { JsonError, readJson } from '../../values/json-document.ts';
import { readXml, XmlError } from '../../values/xml.ts';
import { pairsOf } from '../target-pattern.ts';
import { TextPattern } from '../text-pattern.ts';
import type { BodyPattern } from './body-pattern.ts';
import { FormPattern } from './form-pattern.ts';
import { GraphPattern } from './graph-pattern.ts';
import { JsonPattern } from './json-pattern.ts';
import { marked, pieces } from './marks.ts';
import { XmlPattern } from './xml-pattern.ts';

/** The body of a request, read backwards. */
export function readBody(body: PlannedBody): BodyPattern {
  switch (body.kind) {
    case 'text':
      return readText(body.template, body.contentType);
    case 'form':
    case 'multipart':
      return new FormPattern(body);
    case 'graphql':
      return new GraphPattern(body);
    case 'file':
      return {
        conditions: 1,
        literals: 0,
        form: 'file',
        misses: ({ text }) => (text === '' ? 'would have to be there' : undefined),
      };
    default:
      return body satisfies never;
  }
}

function readText(template: Template, contentType: string | undefined): BodyPattern {
  const places = new Set(template.parts.flatMap(part => (typeof part === 'string' ? [] : [part.place])));
  const written = marked(template);
  if (
    /\bjson\b/i.test(contentType ?? '') ||
    places.has('json-value') ||
    places.has('json-string') ||
    looksLikeJson(written)
  ) {
    try {
      return new JsonPattern(readJson(written));
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
    }
  }
  if (/\bxml\b/i.test(contentType ?? '') || places.has('xml') || written.trimStart().startsWith('<')) {
    try {
      return new XmlPattern(readXml(written.trim()).documentElement!);
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
    }
  }
  if (places.has('form')) return new FormPattern({ fields: pairsOf(written) });
  const pattern = new TextPattern(pieces(written.replace(/\n$/, '')));
  return {
    conditions: 1,
    literals: pattern.literal === undefined ? 0 : 1,
    form: pattern.form,
    misses: ({ text }, bindings) =>
      pattern.matches(text.replace(/\r\n/g, '\n').replace(/\n$/, ''), bindings)
        ? undefined
        : 'would have to be as it is written there',
  };
}

function looksLikeJson(text: string): boolean {
  return /^\s*[[{]/.test(text);
}
