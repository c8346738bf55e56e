import type { Document } from 'slimdom';
import type { DescribedAnswer } from '../definition/hold/held-exchange.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { Missing, type Value } from '../model/value.ts';
import type { ResponseView } from '../steps/http/response-view.ts';
import type { Answer } from '../steps/step.ts';
import { DocumentPart } from '../values/document-parts.ts';
import { XmlPart } from '../values/xml-parts.ts';

/** An answer to a request, and what was known when it came. */
export interface Observation {
  readonly response: ResponseView;
  readonly answer: Answer;
  /** Names that had a value. */
  readonly bound: ReadonlyMap<string, Entry>;
  /** When it came, in milliseconds since 1970. */
  readonly at: number;
}

/** What answers to the same request are, side by side. */
export class Subject {
  /** Of all answers, where each is a JSON document. */
  readonly json: DocumentPart | undefined;
  /** Of all answers, where each is an XML document. */
  readonly xml: XmlPart | undefined;
  readonly first: ResponseView;

  constructor(
    readonly observations: readonly Observation[],
    /** What the definition of the API says of such an answer. */
    readonly described: DescribedAnswer | undefined,
    /** Whether a text holds what nobody may see. */
    readonly holdsSecret: (text: string) => boolean,
  ) {
    const views = observations.map(({ response }) => response);
    this.first = views[0]!;
    const documents = views.flatMap(documentIn);
    if (documents.length === views.length) this.json = DocumentPart.of(documents);
    else {
      const markup = views.flatMap(xmlIn);
      if (markup.length === views.length) this.xml = XmlPart.of(markup);
    }
  }

  get contentType(): string | undefined {
    return this.first.contentType;
  }
}

function documentIn(view: ResponseView): Value[] {
  const { contentType, hasContent } = view;
  if (!hasContent || (contentType !== undefined && !/json|^text\/plain/i.test(contentType))) return [];
  const { document } = view;
  return document instanceof Missing || document === null || typeof document !== 'object' ? [] : [document];
}

/** Whether a response says that it is XML. */
export function isXml(view: ResponseView): boolean {
  return view.hasContent && /[/+]xml\b/i.test(view.contentType ?? '');
}

function xmlIn(view: ResponseView): Document[] {
  if (!isXml(view)) return [];
  const { xml } = view;
  return xml instanceof Missing ? [] : [xml];
}
