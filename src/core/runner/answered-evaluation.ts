import type { Entry, EvaluationContext, Note } from '../language/evaluation-context.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { Found } from '../model/value.ts';
import type { Answer } from '../steps/step.ts';

/** What the statements of one case see; the answer changes with every operation. */
export abstract class AnsweredEvaluation implements EvaluationContext {
  #answer: Answer | undefined;
  /** What the last operation came to, handed out as it is: every check of every response asks for it. */
  response: EvaluationContext['response'];
  #sent: EvaluationContext['sent'];
  notes: Note[] = [];
  drawn: Map<object, Found> | undefined;

  constructor(readonly clockAndRandom: ClockAndRandom) {}

  abstract lookup(name: string): Entry | undefined;

  get answer(): Answer | undefined {
    return this.#answer;
  }

  set answer(answer: Answer | undefined) {
    this.#answer = answer;
    this.response = answer?.response;
    this.#sent = undefined;
  }

  get sent(): EvaluationContext['sent'] {
    this.#sent ??= this.#answer?.sent();
    return this.#sent;
  }

  get fault(): string | undefined {
    return this.#answer?.fault;
  }
}
