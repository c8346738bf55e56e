import type { CollectionCase } from '../analysis/collection.ts';
import type { Flow } from '../analysis/flow.ts';
import type { PlannedCase } from '../analysis/plan.ts';
import { noChance } from '../replay/offline-case-run.ts';
import { judgesFor, type ReplayedRequest } from '../replay/replayed-case.ts';
import type { PassedCase } from '../runner/run-options.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import { ResponseView } from '../steps/http/response-view.ts';
import type { Observation } from './subject.ts';
import type { AskedRequest } from './suggest.ts';

/** Gathers the answers to each request of cases, as often as these have passed. */
export class AskedRequests {
  readonly #requests = new Map<HttpStep, AskedRequest & { readonly observations: Observation[] }>();

  constructor(readonly flow: Flow) {}

  /** In the order in which their first answers came. */
  get all(): readonly AskedRequest[] {
    return [...this.#requests.values()];
  }

  of(step: HttpStep): AskedRequest | undefined {
    return this.#requests.get(step);
  }

  addPassed({ planned, plan, answers, mask }: PassedCase, now: number): void {
    for (const { step, answer, bound: own, offered } of answers) {
      if (!(step instanceof HttpStep) || !(answer.response instanceof ResponseView)) continue;
      const bound = new Map([...offered, ...own]);
      const observation = { response: answer.response, answer, bound, at: now };
      this.#add(step, observation, { plan, planned, mask });
    }
  }

  addRecorded({ step, answer, bound, replayed }: ReplayedRequest): void {
    const { response, at } = answer;
    const { plan, recorded } = replayed;
    if (response)
      this.#add(step, { response, answer, bound, at }, { plan, planned: recorded.planned, mask: asItIs });
  }

  #add(
    step: HttpStep,
    observation: Observation,
    { plan, planned, mask }: Pick<AskedRequest, 'plan' | 'planned' | 'mask'>,
  ): void {
    const known = this.#requests.get(step);
    if (known) known.observations.push(observation);
    else
      this.#requests.set(step, {
        plan,
        planned,
        step,
        observations: [observation],
        judges: judgesFor(step, planned, undefined),
        mayUse: usableNames(this.flow, planned, step),
        mask,
        chance: noChance,
      });
  }
}

/** What stands in a record is masked. */
const asItIs = (text: string) => text;

/** Names that a check below a request may refer to: made before it, given by a row, or used by its case. */
function usableNames(flow: Flow, planned: PlannedCase, step: HttpStep): AskedRequest['mayUse'] {
  const user = flow.collection.pages
    .flatMap(page => page.cases)
    .find(({ address }) => address === planned.address);
  if (!user) return () => false;
  const { source } = user.page.page;
  const at = user.written.steps.findIndex(
    ({ range }) => source.position(range.start).line === step.place.line,
  );
  const bind = (name: string, by: CollectionCase, step: number) =>
    flow.bind({ name, range: by.written.range, source, step }, by);
  const before = user.page.cases.slice(0, flow.placeOf(user));
  return name => {
    const binding = bind(name, user, Math.max(0, at));
    if (binding?.from !== 'variable' || planned.uses.includes(name)) return binding !== undefined;
    // Known is the value that it has for cases that use it: theirs has to be the same variable.
    return before.some(each => {
      const other = bind(name, each, each.written.steps.length);
      return other?.from === 'variable' && other.definition === binding.definition;
    });
  };
}
