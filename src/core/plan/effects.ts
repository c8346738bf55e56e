import { sourcesIn } from '../language/walk.ts';
import { statementsOf } from '../page/page.ts';
import { mergeLevels } from '../settings/merge.ts';
import { inWords } from '../text/nearest.ts';
import type { CollectionCase } from './collection.ts';
import type { Flow } from './flow.ts';

/** Methods that change nothing (RFC 9110, 9.2.1). */
const safe = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/** A case that was not asked for and runs all the same. */
export interface Brought {
  readonly case: string;
  /** The case that it is brought for. */
  readonly for: string;
  /** In words: `it gives token`. */
  readonly because: string;
}

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
  for (let user = open.shift(); user; user = open.shift()) {
    const needing = user;
    for (const each of flow.producersFor(user)) bring(each, user, () => whyNeeded(each, needing, flow));
    if (!cookieSetters) continue;
    for (const { each, because } of effectsAbove(user, cookieSetters))
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

/** The cases above one on its page that may have changed what it meets. */
function effectsAbove(
  user: CollectionCase,
  cookieSetters: ReadonlySet<string>,
): { each: CollectionCase; because: string }[] {
  const above = user.page.cases.slice(0, user.page.cases.indexOf(user));
  const takesCookies = mergeLevels(user.levels).transport.cookies !== false;
  return above.flatMap(each => {
    if (each.written.cleanup) return [];
    const unsafe = each.written.steps.find(step => step.kind === 'request' && !safe.has(step.method));
    if (unsafe?.kind === 'request') return [{ each, because: `its ${unsafe.method} may change something` }];
    const setsCookie = takesCookies && (cookieSetters.has(each.address) || namesCookie(each));
    return setsCookie ? [{ each, because: 'it sets a cookie' }] : [];
  });
}

/** Whether a statement or an example of a case says that its response sets a cookie. */
function namesCookie({ written }: CollectionCase): boolean {
  if (written.exampleSetsCookie) return true;
  return [...statementsOf(written)].some(statement =>
    sourcesIn(statement).some(
      source =>
        !source.sent &&
        (source.form === 'cookie' ||
          (source.form === 'header' && source.argument?.toLowerCase() === 'set-cookie')),
    ),
  );
}
