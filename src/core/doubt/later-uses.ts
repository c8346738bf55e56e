import type { CollectionCase } from '../analysis/collection.ts';
import type { Flow } from '../analysis/flow.ts';
import type { ReplayedCase, ReplayedRequest } from '../replay/replayed-case.ts';
import { operationKindOf } from '../steps/kinds.ts';

/** What becomes of the names that cases make: into which requests they go, and what else looks at them. */
export class LaterUses {
  readonly #written: ReadonlyMap<string, CollectionCase>;

  constructor(
    readonly flow: Flow,
    /** In the order in which they ran. */
    readonly cases: readonly ReplayedCase[],
  ) {
    this.#written = new Map(
      flow.collection.pages.flatMap(page => page.cases).map(each => [each.address, each]),
    );
  }

  /** Whether a name that is made below a request goes into one that is sent later. */
  entersRequest(name: string, request: ReplayedRequest): boolean {
    return this.#usersOf(name, request).some(({ user, from }) =>
      this.#usesOf(name, user, request).some(
        step => step >= from && operationKindOf(user.written.steps[step]!) !== undefined,
      ),
    );
  }

  /** Later requests whose statements may look at a name. */
  lookedAtBelow(name: string, request: ReplayedRequest): ReplayedRequest[] {
    const own = request.replayed;
    const behind = own.requests.slice(own.requests.indexOf(request) + 1);
    const users = new Set(this.#usersOf(name, request).map(({ user }) => user.address));
    const later = this.cases.slice(this.cases.indexOf(own) + 1);
    return [
      ...behind,
      ...later
        .filter(({ recorded }) => users.has(recorded.planned.address))
        .flatMap(({ requests }) => requests),
    ];
  }

  /** Cases that take a name from the case of a request; of that case itself, the steps behind it. */
  #usersOf(name: string, request: ReplayedRequest): { user: CollectionCase; from: number }[] {
    const own = this.#written.get(request.replayed.recorded.planned.address);
    if (!own) return [];
    const at = this.#stepOf(request, own);
    const others = this.cases.flatMap(({ recorded }) => {
      const user = this.#written.get(recorded.planned.address);
      return user && user !== own && this.#usesOf(name, user, request).length > 0 ? [{ user, from: 0 }] : [];
    });
    return [{ user: own, from: at + 1 }, ...others];
  }

  #stepOf({ step }: ReplayedRequest, { page, written }: CollectionCase): number {
    const { source } = page.page;
    return written.steps.findIndex(({ range }) => source.position(range.start).line === step.place.line);
  }

  /** The steps of a case that use a name which the case of a request makes. */
  #usesOf(name: string, user: CollectionCase, request: ReplayedRequest): number[] {
    const own = this.#written.get(request.replayed.recorded.planned.address);
    return this.flow.boundUses(user).flatMap(({ use, binding }) => {
      if (use.name !== name) return [];
      const isOwn =
        (binding?.from === 'page' && binding.producer === own) ||
        (binding?.from === 'other-page' && binding.producers.some(each => each === own));
      return isOwn ? [use.step] : [];
    });
  }
}
