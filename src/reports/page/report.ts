import type { RunEvent } from '../../core/model/events.ts';
import type { RunTotals } from '../../core/record/totals.ts';
import { digest } from '../run-digest.ts';
import { verdictAndNotes } from '../verdict.ts';
import { casesMarkup, occurrencesData } from './cases-markup.ts';
import { failuresMarkup } from './failures.ts';
import { figuresMarkup } from './figures.ts';
import { headMarkup } from './head.ts';
import type { Markup } from './markup.ts';
import script from './page.client.js';
import style from './page.css';
import { pageHead } from './page-head.ts';

const limits = { failures: 200, ofEach: 3, kept: 4_000_000 };

/**
 * One page that holds everything it needs: it loads nothing, sends nothing, and nothing that came from outside can run
 * in it. Without its script it still tells everything but each of many runs of a case.
 */
export async function* pageReport(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
): AsyncGenerator<string> {
  const digested = await digest(events, totals, limits);
  const { run } = digested;
  yield pageHead({ title: `${run.title} – ${verdictAndNotes(totals).verdict}`, style, script });
  yield `<body>
<main>
`;
  const parts: Iterable<Markup>[] = [
    [headMarkup(digested)],
    failuresMarkup(digested),
    casesMarkup(digested),
    figuresMarkup(digested),
    occurrencesData(digested),
  ];
  for (const part of parts) for (const { text } of part) yield `${text}\n`;
  yield `</main>
<script>${script}</script>
</body>
</html>
`;
}
