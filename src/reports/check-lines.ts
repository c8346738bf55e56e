import type { CheckEvent } from '../core/model/events.ts';

/** What is to be said of a check that does not hold, as plain text. */
export function linesOf(check: CheckEvent): string[] {
  return [
    `${check.place.file}:${check.place.line}  ${check.text}`,
    ...(check.expected === undefined ? [] : [`  expected  ${check.expected}`]),
    ...(check.found === undefined
      ? []
      : [`  found     ${check.found}${check.at === undefined ? '' : `   at ${check.at}`}`]),
    ...(check.differences ?? []).map(each => `  ${each.at}  expected ${each.expected}, found ${each.found}`),
    ...(check.origins ?? []).map(({ name, value, origin }) => `  {${name}}  ${value}, ${origin}`),
    ...(check.nearest === undefined
      ? []
      : [`  ${(check.nearestOf ?? 'response').padEnd(8)}  ${check.nearest}`]),
  ];
}
