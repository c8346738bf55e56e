import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { DescribedAnswer } from '../definition/hold/held-exchange.ts';
import { loadPackages, type Package } from '../language/packages.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import { Excerpt, Source } from '../model/source.ts';
import { Missing } from '../model/value.ts';
import { DocumentView, withOther } from '../replay/changes/changed-view.ts';
import { changesOf } from '../replay/changes/changes.ts';
import { type Judge, judgeOfStep } from '../replay/judge.ts';
import { noChance, OfflineCaseRun } from '../replay/offline-case-run.ts';
import { ReplayedNames } from '../replay/recorded-names.ts';
import { type TriedAnswer, tryChanges } from '../replay/try-changes.ts';
import { mask as masked } from '../secrecy/masker.ts';
import { checkKind, planCheck, readChecks } from '../steps/check/check.ts';
import type { CheckStep } from '../steps/check/check-step.ts';
import type { HttpStep } from '../steps/http/http-step.ts';
import type { ResponseView } from '../steps/http/response-view.ts';
import { originIn } from '../text/hosts.ts';
import { withFewLimits } from '../text/time-limit.ts';
import { withShortLists } from '../values/document-parts.ts';
import { unlessOpen } from '../values/open-value.ts';
import type { Candidate } from './candidate.ts';
import { originsOf } from './origins.ts';
import { patterns } from './patterns/index.ts';
import { value } from './patterns/values.ts';
import { isXml, type Observation, Subject } from './subject.ts';

/** A check that is worth writing: it holds for all answers that there are, and notices what no other does. */
export interface Suggestion extends Candidate {
  /** The form that the answers have. */
  readonly pattern: string;
  readonly judge: Judge;
}

/** A request whose answers are looked at. */
export interface AskedRequest {
  readonly plan: Plan;
  readonly planned: PlannedCase;
  readonly step: HttpStep;
  /** One at least. */
  readonly observations: readonly Observation[];
  /** What looks at its answer already. */
  readonly judges: readonly Judge[];
  /** Whether a check below it may refer to a name. */
  readonly mayUse: (name: string) => boolean;
  /** A text with all secrets in it masked. */
  readonly mask: (text: string) => string;
  readonly chance: ClockAndRandom;
}

/** What it takes to look at these responses; to be awaited before `candidatesFor`. */
export async function loadFor(responses: Iterable<ResponseView>): Promise<void> {
  const needed = new Set<Package>(['patterns']);
  for (const response of responses) {
    if (isXml(response)) needed.add('xml').add('xpath');
    if (/html/i.test(response.contentType ?? '')) needed.add('html');
  }
  await loadPackages(needed);
}

/**
 * Every check that the patterns find and that holds for all answers, best first.
 * @param values whether values that are the same each time are wanted too
 */
export function candidatesFor(
  request: AskedRequest,
  { values = false }: { readonly values?: boolean } = {},
): Suggestion[] {
  const { observations, mayUse, mask } = request;
  const holdsSecret = (text: string) => text.includes(masked) || mask(text) !== text;
  const subject = new Subject(observations, describedAnswer(request), holdsSecret);
  const origins = originsOf(observations, mayUse);
  const found = new Map<string, Suggestion>();
  for (const pattern of values ? [...patterns, value] : patterns)
    for (const { text, reason } of pattern.find(subject, origins)) {
      if (found.has(text) || holdsSecret(text)) continue;
      const step = readCheck(text);
      if (step) found.set(text, { text, reason, pattern: pattern.name, judge: judgeOfStep(step) });
    }
  return withFewLimits(weightOf(request), () =>
    [...found.values()].filter(({ judge }) => holdsEverywhere(judge, request)),
  );
}

/**
 * Of those, what notices a change that neither the checks of the case nor a better one notices. No change is about how long
 * a request takes: that is proposed where nothing looks at it.
 */
export function chooseFrom(candidates: readonly Suggestion[], request: AskedRequest): Suggestion[] {
  const [first] = request.observations as [Observation, ...Observation[]];
  const own = request.judges.filter(judge => judge.step);
  const noticed = withFewLimits(weightOf(request), () => changesNoticed(first, own, candidates, request));
  const looksAt = (form: string) =>
    own.some(({ step }) => {
      const sources = step?.looksAt?.() ?? [];
      return sources.length > 0 && sources.every(each => each.form === form);
    });
  const covered = new Set<number>();
  return candidates.filter(({ judge, pattern }) => {
    if (pattern === 'time') return !looksAt('time');
    // A request is about its status, whatever else would notice that it is another one.
    if (pattern === 'status' && !looksAt('status')) return true;
    const own = noticed.get(judge);
    // What does not hold for a shortened answer was not tried.
    if (!own) return true;
    const fresh = [...own].filter(each => !covered.has(each));
    for (const each of fresh) covered.add(each);
    return fresh.length > 0;
  });
}

/** By candidate: which changes it notices that the case does not notice by itself. */
function changesNoticed(
  { response, answer, bound, at }: Observation,
  own: readonly Judge[],
  candidates: readonly Suggestion[],
  request: AskedRequest,
): ReadonlyMap<Judge, ReadonlySet<number>> {
  const view = shortened(response);
  const replayed = runsOf(request, () => at);
  const holds = (judge: Judge) => {
    const run = replayed.runWith(replayed.namesFrom(bound));
    run.answer({ ...answer, response: view });
    return judge.judge(run) === 'holds';
  };
  const isTried = (judge: Judge) => view === response || holds(judge);
  const checking = own.filter(isTried);
  const all = [...checking, ...candidates.map(({ judge }) => judge).filter(isTried)];
  const changes = changesOf(view, { judges: all, described: describedAnswer(request) });
  const noticed = new Map(all.map(judge => [judge, new Set<number>()]));
  let index = 0;
  for (const { failing } of tryChanges({ replayed, answer, bound }, changes, all)) {
    index++;
    if (!checking.some(judge => failing.has(judge)))
      for (const judge of failing) noticed.get(judge)!.add(index);
  }
  return noticed;
}

/** So many items of a list say as much of what a check notices as all of them. */
const mostItems = 12;

/** A response whose long lists are cut. */
function shortened(view: ResponseView): ResponseView {
  const isDocument = view.hasContent && !isXml(view);
  const document = isDocument ? view.document : undefined;
  if (document === undefined || document instanceof Missing) return view;
  const short = withShortLists(document, mostItems);
  if (short === document) return view;
  const body = Buffer.from(new DocumentView(view, short).text);
  return withOther(view, { body, size: body.length });
}

/** What the definition of the API says of the answer to a request; after redirects, to the last one. */
export function describedAnswer({ step, observations }: AskedRequest): DescribedAnswer | undefined {
  const { definition } = step;
  const [{ response, bound }] = observations as [Observation];
  if (!definition) return undefined;
  const lookup = (name: string) => bound.get(name);
  const context = { response: undefined, lookup, clockAndRandom: noChance, notes: [] };
  const { url, status } = response.received;
  const at = unlessOpen(() => definition.at(context)) ?? originIn(url) ?? '';
  const method = response.facts.hops ? 'GET' : step.operation;
  return definition.holder.answer({ method, url, status, contentType: response.contentType }, at);
}

function runsOf({ plan, planned, chance }: AskedRequest, now: () => number): TriedAnswer['replayed'] {
  return {
    namesFrom: bound => new ReplayedNames(bound),
    runWith: names => new OfflineCaseRun(plan, planned, names, { clockAndRandom: { ...chance, now } }),
  };
}

function weightOf({ observations }: AskedRequest): number {
  return observations.reduce((sum, { response }) => sum + response.weight, 0);
}

function holdsEverywhere(judge: Judge, request: AskedRequest): boolean {
  for (const { answer, bound, at } of request.observations) {
    const runs = runsOf(request, () => at);
    const run = runs.runWith(runs.namesFrom(bound));
    run.answer(answer);
    if (judge.judge(run) !== 'holds') return false;
  }
  return true;
}

/** Checks by their text: the same are proposed for many requests. */
const known = new Map<string, CheckStep | undefined>();
const mostKnown = 2000;

/** A check that can be carried out; nothing where it cannot be read, or where something is wrong with it. */
export function readCheck(text: string): CheckStep | undefined {
  if (known.has(text)) return known.get(text);
  const source = new Source('a suggestion', text);
  const { checks, errors } = readChecks(new Excerpt(source, text, 1), []);
  const [check] = checks;
  const isSound =
    check && checks.length === 1 && errors.length === 0 && checkKind.errorsIn(check).length === 0;
  const step = isSound ? planCheck(check, source) : undefined;
  if (known.size >= mostKnown) known.clear();
  known.set(text, step);
  return step;
}
