import { NamesBefore } from '../examples/names-before.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import type { Reference } from '../language/reference.ts';
import type { Value } from '../model/value.ts';
import type { OfflineNames } from '../replay/offline-case-run.ts';
import { isOpen } from '../values/open-value.ts';
import { type Row, valuesAt } from './answered-case.ts';

/** Values of a reference: those that are known without sending, or those that an example above shows. */
export interface ReferenceValues {
  readonly known?: readonly Value[];
  readonly shown?: readonly Value[];
}

/** Names of a case; which of them were computed is remembered, since those are the same in every run. */
export class CaseNames extends NamesBefore {
  readonly #computed = new Set<string>();

  override give(given: Parameters<OfflineNames['give']>[0], entry: Entry): void {
    if (given.how === 'let') this.#computed.add(given.name);
    super.give(given, entry);
  }

  /** The values of a reference that are known without sending; else those that an example above shows. */
  valuesOf({ name, path }: Reference, rows: readonly Row[], evaluation: EvaluationContext): ReferenceValues {
    if (this.known.rows.has(name)) {
      const values = valuesAt(
        rows.flatMap(row => row.get(name) ?? []),
        path,
        name,
      );
      return values.length === 0 ? {} : { known: values };
    }
    const { value, secret } = this.lookup(name, evaluation);
    const values = isOpen(value) || secret ? [] : valuesAt([value], path, name);
    if (values.length === 0) return {};
    const isKept = this.scope.names.has(name) && !this.#computed.has(name);
    return isKept || this.planned.takenFrom.has(name) ? { shown: values } : { known: values };
  }

  entriesFor(names: Iterable<string>, evaluation: EvaluationContext): Map<string, Entry> {
    const entries = new Map<string, Entry>();
    for (const name of names)
      if (!this.known.rows.has(name)) entries.set(name, this.lookup(name, evaluation));
    return entries;
  }
}
