import type { Flow } from '../analysis/flow.ts';
import type { Plan } from '../analysis/plan.ts';
import { weighted } from '../analysis/weights.ts';
import { type Finding, finding } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import { ambiguityOf } from './target-pattern.ts';

/** Targets of requests with examples that nobody can read backwards. */
export function ambiguousTargets({ pages }: Plan, { collection }: Flow): Finding[] {
  const chosen = new Set(pages.flatMap(({ cases }) => cases.map(({ address }) => address)));
  const findings = collection.pages
    .flatMap(page => page.cases)
    .filter(({ address }) => chosen.has(address))
    .flatMap(({ written, page }) =>
      written.steps
        .filter((step): step is WrittenRequest => step.type === 'http' && step.examples !== undefined)
        .flatMap(step => ambiguousTarget(step, page.page.source) ?? []),
    );
  return weighted(findings, collection);
}

export function ambiguousTarget(
  { target, targetRange }: WrittenRequest,
  source: Source,
): Finding | undefined {
  const ambiguity = ambiguityOf(target);
  return (
    ambiguity &&
    finding(
      'target-ambiguous',
      { source, range: targetRange },
      `Nobody can tell where {${ambiguity.first}} ends and {${ambiguity.second}} begins, so this example answers no request.`,
      'Put something between them.',
    )
  );
}
