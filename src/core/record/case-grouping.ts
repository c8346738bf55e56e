import type { CaseEvent, CheckEvent, EventOf, OperationEvent, RunEvent } from '../model/events.ts';
import { ByUser } from './by-user.ts';
import { isOperation } from './operations.ts';

/** A case that has ended, with all that happened in it. */
export interface EndedCase {
  readonly page: EventOf<'page'>;
  readonly event: CaseEvent;
  readonly checks: readonly CheckEvent[];
  readonly operations: readonly OperationEvent[];
}

interface OpenCase {
  page: EventOf<'page'> | undefined;
  checks: CheckEvent[];
  operations: OperationEvent[];
}

/** Gathers the events of a run case by case. */
export class CaseGrouping {
  readonly #open = new ByUser<OpenCase>(() => ({ page: undefined, checks: [], operations: [] }));

  /** @param keeps whether something that happened in a case is to be kept until it ends */
  constructor(readonly keeps: (event: CheckEvent | OperationEvent) => boolean = () => true) {}

  /** The case that ends with an event. */
  add(event: RunEvent): EndedCase | undefined {
    if (event.type === 'run' || event.type === 'figures' || event.type === 'end') return undefined;
    const open = this.#open.of(event);
    if (event.type === 'page') open.page = event;
    else if (event.type === 'case') {
      const { page, checks, operations } = open;
      open.checks = [];
      open.operations = [];
      return { page: page!, event, checks, operations };
    } else if (this.keeps(event)) {
      if (isOperation(event)) open.operations.push(event);
      else open.checks.push(event);
    }
    return undefined;
  }
}
