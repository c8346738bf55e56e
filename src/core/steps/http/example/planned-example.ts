import type { EvaluationContext } from '../../../language/evaluation-context.ts';
import type { Reference } from '../../../language/reference.ts';
import { referencesOf } from '../../../language/templates/template.ts';
import { SourceError } from '../../../model/finding.ts';
import type { Range, Source } from '../../../model/source.ts';
import { meetOpen } from '../../../values/open-value.ts';
import type { Answer, ExampleOfAnswer } from '../../step.ts';
import type { PlannedBody } from '../planned-request.ts';
import { literalTextOf, prepareBody, referencesOfBody } from '../prepare-body.ts';
import { ExampleView, openIn } from './example-view.ts';
import { type ExampleTemplates, type FilledExample, fillExample, type Unknown } from './fill-example.ts';
import type { HttpExample } from './read-example.ts';

/** An example response that is ready to be filled. A run that does not ask for it does not pay for it. */
export class PlannedExample implements ExampleOfAnswer {
  readonly range: Range;
  #made: { readonly templates: ExampleTemplates; readonly errors: readonly SourceError[] } | undefined;

  constructor(
    readonly written: HttpExample,
    readonly source: Source,
    /** Of the request that it answers. */
    readonly method: string,
  ) {
    this.range = written.range;
  }

  get status(): number {
    return this.written.status;
  }

  get references(): readonly Reference[] {
    const { headers, body } = this.written;
    return [...headers.flatMap(({ value }) => referencesOf(value)), ...(body ? referencesOfBody(body) : [])];
  }

  get errors(): readonly SourceError[] {
    return this.#ready.errors;
  }

  get templates(): ExampleTemplates {
    return this.#ready.templates;
  }

  fill(context: EvaluationContext, unknown: Unknown): FilledExample {
    return fillExample(this.templates, context, unknown);
  }

  answer(context: EvaluationContext, url?: string): Answer {
    return this.answerOf(this.fill(context, openIn), url);
  }

  answerOf(filled: FilledExample, url?: string): Answer {
    return { response: new ExampleView(filled, this.method, url), sent: meetOpen, fault: undefined };
  }

  get #ready() {
    this.#made ??= this.#make();
    return this.#made;
  }

  #make() {
    const { status, reason, headers } = this.written;
    const errors: SourceError[] = [];
    const body = this.#body(errors);
    return { templates: { status, reason, headers, ...(body && { body }) }, errors };
  }

  /** What a body is meant for and is not keeps the example from being one; the page runs all the same. */
  #body(errors: SourceError[]): PlannedBody | undefined {
    const { headers, body } = this.written;
    if (!body) return undefined;
    const given = headers.find(({ name }) => name.toLowerCase() === 'content-type')?.value;
    const add = (others: readonly SourceError[]) => void errors.push(...others.map(asExampleError));
    try {
      return prepareBody(
        body,
        given && literalTextOf(given) !== '' ? given : undefined,
        this.source.file,
        add,
      );
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      add([error]);
      return undefined;
    }
  }
}

function asExampleError({ range, message, remedy }: SourceError): SourceError {
  return new SourceError(
    'example-form',
    range,
    message.replace(/^The body is/, 'The body of this example is'),
    remedy,
  );
}
