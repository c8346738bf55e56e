import type { PlannedCase } from '../analysis/plan.ts';
import type { EventContext } from '../model/event-context.ts';
import type { CaseEvent } from '../model/events.ts';
import type { Outcome } from '../model/outcomes.ts';

/** What the record says of every case. */
export function caseEvent(
  { address, title, place, tags, request }: PlannedCase,
  eventContext: EventContext,
  outcome: Outcome,
): CaseEvent {
  const { round, user } = eventContext;
  const event: CaseEvent = { type: 'case', round, case: address, title, place, outcome, time: 0 };
  if (user !== undefined) event.user = user;
  if (tags.length > 0) event.tags = [...tags];
  if (request !== undefined) event.request = request;
  return event;
}
