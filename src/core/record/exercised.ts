import type { DescribedExchange, RunEvent } from '../model/events.ts';
import type { ExercisedDefinition, ExercisedOperation } from '../model/exercised.ts';
import { CaseGrouping } from './case-grouping.ts';

/** Gathers from the events of one run after the other what they have made of each definition of an API, by its file. */
export class Exercised {
  readonly definitions = new Map<string, ExercisedDefinition>();

  async add(events: AsyncIterable<RunEvent>): Promise<void> {
    const grouping = new CaseGrouping(event => event.type === 'exchange' && event.definition !== undefined);
    for await (const event of events) {
      const ended = grouping.add(event);
      for (const operation of ended?.operations ?? [])
        if (operation.type === 'exchange' && operation.definition)
          this.#add(operation.definition, ended!.event.outcome === 'passed');
    }
  }

  #add(said: DescribedExchange, passed: boolean): void {
    const { file, hash, operation: title, status, parameters = [], sent = [], looked = [] } = said;
    const definition = this.definitions.get(file) ?? { file, hashes: new Set(), operations: new Map() };
    this.definitions.set(file, definition);
    definition.hashes.add(hash);
    if (title === undefined) return;
    const operation = definition.operations.get(title) ?? newOperation();
    definition.operations.set(title, operation);
    operation.sent++;
    if (status !== undefined) {
      const known = operation.statuses.get(status) ?? { seen: 0, passed: 0 };
      known.seen++;
      if (passed) known.passed++;
      operation.statuses.set(status, known);
    }
    for (const each of parameters) operation.parameters.add(each);
    for (const each of sent) operation.members.add(each);
    for (const each of looked) operation.looked.add(each);
  }
}

export function newOperation(): ExercisedOperation {
  return { sent: 0, statuses: new Map(), parameters: new Set(), members: new Set(), looked: new Set() };
}
