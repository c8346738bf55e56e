import type { EvaluationContext } from '../../../language/evaluation-context.ts';
import { Missing } from '../../../model/value.ts';
import { meetOpen, unlessOpen } from '../../../values/open-value.ts';
import type { ResponseView } from '../response-view.ts';
import { ExampleView, openIn, openMark } from './example-view.ts';
import type { PlannedExample } from './planned-example.ts';
import { differencesOf, type Shape, type ShapeDifference, shapeOf, unionOf } from './shape.ts';

/** A response beside the example that is nearest to it. */
export interface ComparedExample {
  readonly example: PlannedExample;
  /** None where it fits. */
  readonly differences: readonly ShapeDifference[];
}

/** What an example says of responses of its status, whatever the values in it. */
interface Outline {
  readonly example: PlannedExample;
  /** Without its parameters, in lower case; nothing where the example does not say it. */
  readonly mediaType: string | undefined;
  /** Of a JSON document; nothing where the example shows none. */
  readonly shape: Shape | undefined;
}

/** The examples of one request, to set responses beside them. */
export class ExampleComparison {
  readonly #outlines = new Map<number, readonly Outline[]>();

  constructor(readonly examples: readonly PlannedExample[]) {}

  /** Sets a response beside the examples of its status; nothing where there are none. */
  compare(view: ResponseView): ComparedExample | undefined {
    const outlines = this.#of(view.received.status);
    if (outlines.length === 0) return undefined;
    const all = unionOf(outlines.flatMap(({ shape }) => shape ?? []));
    const compared = outlines.map(outline => ({
      example: outline.example,
      differences: differencesFrom(outline, all, view),
    }));
    return compared.reduce((best, each) =>
      each.differences.length <= best.differences.length ? each : best,
    );
  }

  #of(status: number): readonly Outline[] {
    let known = this.#outlines.get(status);
    if (!known) {
      const own = this.examples.filter(each => each.status === status && each.errors.length === 0);
      known = own.map(outlineOf);
      this.#outlines.set(status, known);
    }
    return known;
  }
}

/** Nobody knows any name. */
const noNames: EvaluationContext = {
  response: undefined,
  lookup: () => undefined,
  clockAndRandom: { now: meetOpen, uuid: meetOpen, random: meetOpen },
  notes: [],
};

function outlineOf(example: PlannedExample): Outline {
  // What stands in quotes is a text, whatever it will be.
  const filled = example.fill(noNames, (name, place) =>
    place === 'json-string' ? 'x' : openIn(name, place),
  );
  const view = new ExampleView(filled, example.method);
  const document = filled.body && isJson(view.contentType) ? unlessOpen(() => view.document) : undefined;
  return {
    example,
    mediaType: mediaTypeOf(view.contentType),
    shape: document === undefined || document instanceof Missing ? undefined : shapeOf(document),
  };
}

function differencesFrom(
  { mediaType, shape }: Outline,
  all: Shape | undefined,
  view: ResponseView,
): ShapeDifference[] {
  const found = mediaTypeOf(view.contentType);
  if (mediaType !== undefined && found !== mediaType)
    return [
      { at: 'header content-type', expected: mediaType, found: found ?? 'nothing: the header is not there' },
    ];
  if (!shape || view.unreadable !== undefined) return [];
  const { document } = view;
  if (document instanceof Missing)
    return [{ at: '$', expected: 'a JSON document', found: `none: ${document.reason}` }];
  return differencesOf(shape, all ?? shape, shapeOf(document));
}

function mediaTypeOf(contentType: string | undefined): string | undefined {
  const [type = ''] = contentType?.toLowerCase().split(';') ?? [];
  return type.trim() === '' || type.includes(openMark) ? undefined : type.trim();
}

function isJson(contentType: string | undefined): boolean {
  return /\bjson\b/i.test(contentType ?? '');
}
