import type { RunEvent } from '../../core/model/events.ts';
import type { RunTotals } from '../../core/record/totals.ts';
import { digest } from '../run-digest.ts';
import { verdictInWords } from '../verdict.ts';
import { casesMarkup, occurrencesData } from './cases-markup.ts';
import { failuresMarkup } from './failures.ts';
import { figuresMarkup } from './figures.ts';
import { headMarkup } from './head.ts';
import { html, type Markup } from './markup.ts';
import script from './page.client.js';
import style from './page.css';

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
  yield `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src '${hashOf(style)}'; script-src '${hashOf(script)}'; base-uri 'none'; form-action 'none'">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<meta name="referrer" content="no-referrer">
`;
  yield html`<title>${run.title} – ${verdictInWords(totals)}</title>
`.text;
  yield `<style>${style}</style>
</head>
<body>
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

/** By its hash a browser knows the one script and the one style that are the page's own (CSP Level 3). */
function hashOf(text: string): string {
  const { createHash } = process.getBuiltinModule('node:crypto');
  return `sha256-${createHash('sha256').update(text).digest('base64')}`;
}
