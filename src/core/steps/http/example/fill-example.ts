import type { EvaluationContext } from '../../../language/evaluation-context.ts';
import { referenceText } from '../../../language/reference.ts';
import { render, TemplateError } from '../../../language/templates/render.ts';
import type { Place, Template } from '../../../language/templates/template.ts';
import type { Header } from '../../../model/http-messages.ts';
import { resolvePath } from '../../../text/paths.ts';
import { unlessOpen } from '../../../values/open-value.ts';
import type { PlannedBody } from '../planned-request.ts';
import { literalTextOf } from '../prepare-body.ts';

/** An example response as it would come. */
export interface FilledExample {
  readonly status: number;
  /** Empty where none is written. */
  readonly reason: string;
  /** With the type of the body, where its fence or its look says that and no header does. */
  readonly headers: readonly Header[];
  /** A text, or the path of a file from the root of the collection; nothing where the example shows no body. */
  readonly body?: { readonly text: string } | { readonly file: string };
}

/** What stands in the place of a reference whose value is not known, as it has to be written there. */
export type Unknown = (reference: string, place: Place) => string;

/** The parts of an example that are filled. */
export interface ExampleTemplates {
  readonly status: number;
  readonly reason: string;
  readonly headers: readonly { readonly name: string; readonly value: Template }[];
  readonly body?: PlannedBody;
}

/** Fills an example; what cannot be filled is left to `unknown`. */
export function fillExample(
  { status, reason, headers, body }: ExampleTemplates,
  context: EvaluationContext,
  unknown: Unknown,
): FilledExample {
  // What comes from outside must not become markup.
  const type = headers.find(({ name }) => /^content-type$/i.test(name))?.value;
  const isHtml = type !== undefined && /\bhtml\b/i.test(literalTextOf(type));
  const fill = (template: Template) => fillKnown(template, context, unknown);
  const filled = headers.map(({ name, value }): Header => [name, fill(value)]);
  if (!body) return { status, reason, headers: filled };
  const typed = body.contentType === undefined ? filled : [...filled, contentType(body.contentType)];
  if (body.kind === 'file')
    return { status, reason, headers: typed, body: { file: resolvePath(body.folder, fill(body.path)) } };
  if (body.kind !== 'text') throw new TypeError(`An example has no ${body.kind} body.`);
  const text = fill(isHtml ? inMarkup(body.template) : body.template);
  return {
    status,
    reason,
    headers: typed,
    body: { text: body.crlf ? text.replace(/\r?\n/g, '\r\n') : text },
  };
}

/** Values in it are escaped as those of XML. */
function inMarkup({ parts }: Template): Template {
  return {
    parts: parts.map(part =>
      typeof part !== 'string' && part.place === 'text' ? { ...part, place: 'xml' } : part,
    ),
  };
}

function contentType(type: string): Header {
  return ['Content-Type', type];
}

function fillKnown({ parts }: Template, context: EvaluationContext, unknown: Unknown): string {
  let result = '';
  for (const part of parts)
    result +=
      typeof part === 'string'
        ? part
        : (known(part, context) ?? unknown(referenceText(part.reference), part.place));
  return result;
}

type Part = Exclude<Template['parts'][number], string>;

function known(part: Part, context: EvaluationContext): string | undefined {
  try {
    return unlessOpen(() => render({ parts: [part] }, context));
  } catch (error) {
    if (error instanceof TemplateError) return undefined;
    throw error;
  }
}
