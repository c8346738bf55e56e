import type { RunEvent } from '../model/events.ts';
import { isOperation, withoutContents } from '../record/operations.ts';
import type { Masker } from '../secrecy/masker.ts';
import { DeferredEvents } from './deferred-events.ts';

interface Listeners {
  /** The record: hears of everything as it happens. */
  readonly record: (event: RunEvent) => void;
  readonly onEvent: (event: RunEvent) => void;
  /** Whether events may be heard a moment later, while the next request is on its way. */
  readonly deferred: boolean;
  /** Whether what waits for its turn keeps its bodies. */
  readonly keepsBodies: boolean;
  /** Called where a listener threw; what it threw comes out of `finish`. */
  readonly onFailure: () => void;
}

/** What happened in one of several pages that run at once, for the record. */
class OfLane {
  constructor(
    readonly event: RunEvent,
    readonly lane: number,
  ) {}
}

/** The same once it is its turn to be told. */
class Due {
  constructor(readonly event: RunEvent) {}
}

/** Where the events of a run go: to its record, and to those who listen. */
export class RunOutput {
  readonly #deferred: DeferredEvents<RunEvent | OfLane | Due> | undefined;
  readonly #add: (one: RunEvent | OfLane | Due) => void;

  constructor(readonly listeners: Listeners) {
    const deliver = (one: RunEvent | OfLane | Due) => this.#deliver(one);
    const deferred = listeners.deferred ? new DeferredEvents(deliver, listeners.onFailure) : undefined;
    this.#deferred = deferred;
    this.#add = deferred ? one => deferred.add(one) : deliver;
  }

  /**
   * Notes it in the record, and tells it.
   * @param masker of the secrets in it; nothing where they have been masked
   */
  emit(event: RunEvent, masker?: Masker): void {
    this.#add(masker ? masker.deep(event) : event);
  }

  /** Notes what happens in one of several pages that run at once. What is left of it waits until it is told. */
  record(event: RunEvent, lane: number): RunEvent {
    this.#add(new OfLane(event, lane));
    return this.listeners.keepsBodies || !isOperation(event) ? event : withoutContents(event);
  }

  /** Tells it when it is its turn. */
  tell(event: RunEvent): void {
    this.#add(new Due(event));
  }

  /** Everything that still waits. Throws what a listener has thrown. */
  finish(): void {
    this.#deferred?.finish();
  }

  #deliver(one: RunEvent | OfLane | Due): void {
    const { record, onEvent } = this.listeners;
    if (one instanceof OfLane) record(withLane(one.event, one.lane));
    else if (one instanceof Due) onEvent(one.event);
    else {
      record(one);
      onEvent(one);
    }
  }
}

/** Behind the type, so that a reader of lines finds it soon. */
function withLane(event: RunEvent, lane: number): RunEvent {
  const { type, ...rest } = event;
  return { type, lane, ...rest } as RunEvent;
}
