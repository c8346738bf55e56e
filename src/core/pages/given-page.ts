import { findingOf } from '../model/finding.ts';
import { Excerpt, Source } from '../model/source.ts';
import type { Value } from '../model/value.ts';
import { type GivenRequest, readGiven } from '../steps/http/write-request.ts';
import { writeJson } from '../values/json-document.ts';
import type { Page, PageCase } from './page.ts';

/**
 * A page with one case, which sends a request that was given on the command line.
 * @param settings of the case, as a page has them
 */
export function pageOfRequest(request: GivenRequest, name: string, settings: Value = {}): Page {
  const { source, step, errors } = readGiven(request, name);
  const written = writeJson(settings);
  const range = { start: 0, end: source.text.length };
  const only: PageCase = {
    title: 'Request',
    slug: 'request',
    address: `${name}#request`,
    range,
    settings: new Excerpt(new Source(name, written), written, 1),
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
