import type { Bindings } from './bindings.ts';
import type { ReceivedRequest } from './received-request.ts';
import type { RequestPattern } from './request-pattern.ts';
import type { StandInAnswer } from './stand-in-answer.ts';

/** A request of a page, and what answers it. */
export interface AnsweringPattern {
  readonly pattern: RequestPattern;
  /** How many successive answers there are. */
  readonly count: number;
  /** @param turn how many times the same was asked before */
  answer(bindings: Bindings, request: ReceivedRequest, turn: number): StandInAnswer;
}
