import type { DescribedAnswer } from '../../definition/hold/held-exchange.ts';
import { Missing } from '../../model/value.ts';
import type { ResponseView } from '../../steps/http/response-view.ts';
import type { Judge } from '../judge.ts';
import type { Chance, Change } from './change.ts';
import { jsonChanges } from './json-changes.ts';
import { bodyChanges, headerChanges, statusChange } from './message-changes.ts';
import { xmlChanges } from './xml-changes.ts';

export interface ChangeChoices {
  /** Who looks at the response: headers that they ask for are changed. */
  readonly judges: readonly Judge[];
  /** What the definition of the API says of it. */
  readonly described: DescribedAnswer | undefined;
  /** Which of the items of a list are changed; the last ones, where nothing is said. */
  readonly chance?: Chance;
}

/** Everything that is changed in a response, one thing at a time. */
export function* changesOf(
  view: ResponseView,
  { judges, described, chance }: ChangeChoices,
): Generator<Change> {
  yield statusChange(view);
  yield* headerChanges(view, headersOf(view, judges, described));
  yield* bodyChanges(view);
  if (!view.hasContent) return;
  if (/[/+]xml\b/i.test(view.contentType ?? '')) {
    const { xml } = view;
    if (!(xml instanceof Missing)) yield* xmlChanges(view, xml, chance);
  } else {
    const { document } = view;
    if (!(document instanceof Missing)) yield* jsonChanges(view, document, chance);
  }
}

/** Names of headers that somebody expects, in lower case. */
function headersOf(
  view: ResponseView,
  judges: readonly Judge[],
  described: DescribedAnswer | undefined,
): ReadonlySet<string> {
  const names = new Set(described?.headers.keys());
  if (view.hasContent) names.add('content-type');
  for (const { step } of judges)
    for (const source of step?.looksAt?.() ?? []) {
      if (source.sent || source.hop !== undefined) continue;
      if (source.form === 'header') names.add(source.argument!.toLowerCase());
      else if (source.form === 'location' || source.form === 'link') names.add(source.form);
      else if (source.form === 'cookie') names.add('set-cookie');
    }
  return names;
}
