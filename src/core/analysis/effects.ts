import { statementsOf } from '../pages/page.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { saysThatCookieIsSet } from '../steps/http/http.ts';
import { operationKindOf } from '../steps/kinds.ts';
import { inWords } from '../text/words.ts';
import type { Brought } from './brought.ts';
import type { CollectionCase, CollectionPage } from './collection.ts';
import type { Flow } from './flow.ts';

/**
 * The cases that were asked for and those that they cannot do without: those that they take names from or need, and,
 * where `cookieSetters` is given, those above them on their page whose effect they may need. Those in turn bring theirs.
 * @param cookieSetters addresses of cases that are known to have set a cookie
 * @param spared cases that no effect brings: they are left out on purpose
 */
export function withNeeded(
  asked: Iterable<CollectionCase>,
  flow: Flow,
  cookieSetters?: ReadonlySet<string>,
  spared: (each: CollectionCase) => boolean = () => false,
): { all: Set<CollectionCase>; brought: Brought[] } {
  const all = new Set<CollectionCase>(asked);
  const brought: Brought[] = [];
  const open = [...all];
  const bring = (each: CollectionCase, user: CollectionCase, because: () => string) => {
    if (all.has(each)) return;
    all.add(each);
    open.push(each);
    brought.push({ case: each.address, for: user.address, because: because() });
  };
  const effects = cookieSetters && new Effects(cookieSetters);
  for (let at = 0; at < open.length; at++) {
    const user = open[at]!;
    for (const each of flow.producersFor(user)) bring(each, user, () => whyNeeded(each, user, flow));
    for (const { each, because } of effects?.above(user, flow.placeOf(user)) ?? [])
      if (!spared(each)) bring(each, user, () => because);
  }
  return { all, brought };
}

function whyNeeded(each: CollectionCase, user: CollectionCase, flow: Flow): string {
  const names = flow.boundUses(user).flatMap(({ use, binding }) => {
    const producers =
      binding?.from === 'page' ? [binding.producer] : binding?.from === 'other-page' ? binding.producers : [];
    return producers.includes(each) ? [use.name] : [];
  });
  return names.length > 0 ? `it gives ${inWords([...new Set(names)])}` : 'the settings need it';
}

interface Effect {
  readonly each: CollectionCase;
  /** Of its case on the page. */
  readonly place: number;
  readonly because: string;
}

/** The cases of pages that may change what those below them meet; each is told of once. */
class Effects {
  /** From the last to the first on the page, without those that were told of. */
  readonly #left = new Map<CollectionPage, { readonly unsafe: Effect[]; readonly cookies: Effect[] }>();

  constructor(readonly cookieSetters: ReadonlySet<string>) {}

  above({ page, levels }: CollectionCase, place: number): Effect[] {
    const left = this.#left.get(page) ?? this.#effectsOf(page);
    this.#left.set(page, left);
    const takesCookies = mergeLevels(levels).transport.cookies !== false;
    const taken = [...takeAbove(left.unsafe, place), ...(takesCookies ? takeAbove(left.cookies, place) : [])];
    return taken.sort((a, b) => a.place - b.place);
  }

  #effectsOf({ cases }: CollectionPage) {
    const unsafe: Effect[] = [];
    const cookies: Effect[] = [];
    for (const [place, each] of cases.entries()) {
      if (each.written.cleanup) continue;
      const because = effectOf(each);
      if (because !== undefined) unsafe.push({ each, place, because });
      else if (this.cookieSetters.has(each.address) || namesCookie(each))
        cookies.push({ each, place, because: 'it sets a cookie' });
    }
    return { unsafe: unsafe.reverse(), cookies: cookies.reverse() };
  }
}

function takeAbove(left: Effect[], place: number): Effect[] {
  const taken: Effect[] = [];
  while (left.length > 0 && left.at(-1)!.place < place) taken.push(left.pop()!);
  return taken;
}

/** What the first operation that may change something is. */
function effectOf({ written }: CollectionCase): string | undefined {
  for (const step of written.steps) {
    const effect = operationKindOf(step)?.effect(step);
    if (effect !== undefined) return effect;
  }
  return undefined;
}

/** Whether a statement or an example of a case says that its response sets a cookie. */
function namesCookie({ written }: CollectionCase): boolean {
  const examples = written.steps.flatMap(step => step.examples ?? []);
  return examples.some(each => each.setsCookie) || [...statementsOf(written)].some(saysThatCookieIsSet);
}
