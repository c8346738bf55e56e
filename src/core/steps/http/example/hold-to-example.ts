import { mostDifferences } from '../../../language/explain-found.ts';
import type { CheckEvent, ExchangeEvent } from '../../../model/events.ts';
import { placeOf } from '../../../model/place.ts';
import { counted } from '../../../text/words.ts';
import type { StepRun } from '../../step.ts';
import type { ResponseView } from '../response-view.ts';
import type { ComparedExample, ExampleComparison } from './compare-example.ts';

/**
 * Sets a response beside the examples of its status. Where it is like none of them, its event says so; where that was asked
 * for, it is a check of its own.
 */
export function holdToExamples(
  run: StepRun,
  comparison: ExampleComparison,
  { response, event }: { readonly response: ResponseView; readonly event: ExchangeEvent },
): void {
  const compared = comparison.compare(response);
  if (!compared) return;
  const { example, differences } = compared;
  const place = placeOf(example.source, example.range);
  if (differences.length > 0) event.example = { place, differences: differences.slice(0, mostDifferences) };
  if (run.examples === 'strict') emitCheck(run, compared, place);
}

function emitCheck(run: StepRun, { differences }: ComparedExample, place: CheckEvent['place']): void {
  const { round, user, case: address, row } = run.eventContext;
  const holds = differences.length === 0 ? 'yes' : 'no';
  const check: CheckEvent = {
    type: 'check',
    round,
    case: address,
    place,
    text: 'as its example shows',
    holds,
  };
  if (user !== undefined) check.user = user;
  if (row !== undefined) check.row = row;
  if (holds === 'no') {
    run.fail();
    Object.assign(check, explained(differences));
  }
  run.emit(check);
}

function explained(differences: ComparedExample['differences']): Partial<CheckEvent> {
  const [first] = differences;
  if (differences.length === 1) return { ...first! };
  const told = differences.slice(0, mostDifferences);
  const more = differences.length - told.length;
  return {
    expected: 'what the example shows',
    found: `${counted(told.length, 'part')} that differ${more > 0 ? `, and ${more} more` : ''}`,
    differences: told,
  };
}
