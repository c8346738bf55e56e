import type { Place } from '../language/templates/template.ts';
import type { PlannedExample } from '../steps/http/example/planned-example.ts';
import { AnsweredCase, type KnownNames } from './answered-case.ts';
import type { AnsweringPattern } from './answering-pattern.ts';
import type { Bindings } from './bindings.ts';
import { atThisHost } from './home-address.ts';
import { madeValue } from './made-value.ts';
import type { ReceivedRequest } from './received-request.ts';
import type { RequestPattern } from './request-pattern.ts';
import type { StandInAnswer } from './stand-in-answer.ts';

/** The examples of a request, one after the other, filled for whoever asks. */
export class ExampleAnswers implements AnsweringPattern {
  readonly #fixed: (StandInAnswer | undefined)[];

  constructor(
    readonly pattern: RequestPattern,
    readonly examples: readonly PlannedExample[],
    readonly known: KnownNames,
    /** Of addresses that lead to the place that the collection is for. */
    readonly origin: string | undefined,
  ) {
    this.#fixed = examples.map(() => undefined);
  }

  get count(): number {
    return this.examples.length;
  }

  answer(bindings: Bindings, request: ReceivedRequest, turn: number): StandInAnswer {
    const index = Math.min(turn, this.examples.length - 1);
    const known = this.#fixed[index];
    if (known) return known;
    const example = this.examples[index]!;
    const answer = this.#fill(example, bindings, request);
    const isFixed = example.references.length === 0 && this.known.keeps.length === 0;
    if (isFixed && !this.#leadsHome(answer)) this.#fixed[index] = answer;
    return answer;
  }

  #fill(example: PlannedExample, bindings: Bindings, request: ReceivedRequest): StandInAnswer {
    const { secretNames } = this.known.plan;
    const asked = () => `${request.method} ${request.target}\n${request.body.text}`;
    const unknown = (name: string, place: Place) =>
      madeValue(name, place, secretNames.has(name.split('.')[0]!), asked);
    const answered = new AnsweredCase(this.known, bindings);
    const filled = example.fill(answered.evaluation, unknown);
    const { status, reason, headers, body } = filled;
    answered.remember(() => example.answerOf(filled));
    const here = (text: string) => atThisHost(text, this.origin, request);
    return {
      status,
      reason,
      headers: headers.map(([name, value]) => [name, here(value)]),
      body: body && ('text' in body ? { text: here(body.text) } : body),
      from: this.pattern.address,
    };
  }

  #leadsHome({ headers, body }: StandInAnswer): boolean {
    const { origin } = this;
    if (origin === undefined) return false;
    return (
      headers.some(([, value]) => value.includes(origin)) ||
      (body !== undefined && 'text' in body && body.text.includes(origin))
    );
  }
}
