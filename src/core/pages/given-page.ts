import { findingOf } from '../model/finding.ts';
import { type GivenRequest, readGiven } from '../steps/http/write-request.ts';
import type { Page, PageCase } from './page.ts';

/** A page with one case, which sends a request that was given on the command line. */
export function pageOfRequest(request: GivenRequest, name: string): Page {
  const { source, step, errors } = readGiven(request, name);
  const range = { start: 0, end: source.text.length };
  const only: PageCase = {
    title: 'Request',
    slug: 'request',
    address: `${name}#request`,
    range,
    steps: step ? [step] : [],
    lines: { from: 1, to: 1 },
    fences: [],
  };
  return {
    source,
    title: 'Request',
    cases: [only],
    schemas: new Map(),
    tables: new Map(),
    unread: [],
    findings: errors.map(error => findingOf(error, source)),
  };
}
