import type { PhaseStatistics } from '../../core/record/load/load-statistics.ts';
import { apdexText, percentText, rateText } from '../../core/record/number-texts.ts';
import type { RequestStatistics } from '../../core/record/request-statistics.ts';
import { counted, grouped } from '../../core/text/words.ts';
import { durationText, sizeText } from '../../core/values/text.ts';
import { chartsOf } from '../charts/charts.ts';
import { svgOf } from '../charts/drawing.ts';
import { percentileText, toldPercents } from '../percentiles.ts';
import { phaseColumns, phaseRows } from '../phases-table.ts';
import type { Digest } from '../run-digest.ts';
import { joined } from '../style.ts';
import { timeText } from '../time-text.ts';
import { html, Markup } from './markup.ts';

/** So many requests have a line of their own, the slowest first where there are more. */
const mostRequests = 300;

/** How fast and how well the service answered, where cases ran more than once. */
export function* figuresMarkup({ statistics, end, totals }: Digest): Generator<Markup> {
  if (!statistics.repeats || statistics.total.times.count === 0) return;
  const { total, requests, repeated: all } = statistics;
  const once = requests.length - all.length;
  const shown =
    all.length <= mostRequests
      ? all
      : all
          .toSorted((a, b) => (b.figures.times.percentile(95) ?? 0) - (a.figures.times.percentile(95) ?? 0))
          .slice(0, mostRequests);
  const charts = chartsOf(statistics);
  yield html`<section id="figures" aria-labelledby="figures-title"><h2 id="figures-title">Figures</h2>
<p>A request fails where no answer comes, or where a check of its answer does not hold. Apdex counts what was answered within ${durationText(total.threshold)} in full, what took up to four times as long by half, and what failed not at all. A percentile is told where at least one answer lies beyond it${charts.length === 0 && ', and so few answers are not charted'}.</p>`;
  if (totals.bounds.length > 0)
    yield html`<ul class="checks">${totals.bounds.map(({ text, holds, found }) => html`<li><span class="outcome ${holds === 'yes' ? 'passed' : 'failed'}">${holds === 'yes' ? 'is kept' : 'is not kept'}</span> <code>${text}</code> <span class="quiet">found ${found}</span></li>`)}</ul>`;
  for (const [index, drawing] of charts.entries())
    yield html`<figure><h3>${drawing.title}</h3><div class="wide" tabindex="0" role="region" aria-label="Chart">${new Markup(svgOf(drawing, `chart-${index + 1}`))}</div><figcaption>${joined(drawing.says)}</figcaption></figure>`;
  if (statistics.load) yield phasesMarkup(statistics.load.phases);
  yield html`<h3>Request by request</h3>
${once > 0 && html`<p>${counted(once, 'request')} that ${once === 1 ? 'was' : 'were'} sent once ${once === 1 ? 'is' : 'are'} not listed.</p>`}
${all.length > shown.length && html`<p>The ${shown.length} slowest of ${counted(all.length, 'request')}.</p>`}
<div class="wide" tabindex="0" role="region" aria-label="Figures of each request"><table><thead><tr><th scope="col">Request</th>${columns.map(([name]) => html`<th scope="col">${name}</th>`)}</tr></thead><tbody>`;
  for (const { title, request, figures } of shown)
    yield html`<tr><th scope="row">${title} <span class="quiet">${request}</span></th>${cellsOf(figures, end.time)}</tr>`;
  yield html`</tbody><tfoot><tr><th scope="row">In total</th>${cellsOf(total, end.time)}</tr></tfoot></table></div></section>`;
}

function phasesMarkup(phases: readonly PhaseStatistics[]): Markup {
  const [, ...heads] = phaseColumns;
  return html`<h3>Phase by phase</h3>
<p>Times of a load count from when a round was due, as far as its first request goes: how late it began is what somebody waited. What is told from sending leaves that out.</p>
<div class="wide" tabindex="0" role="region" aria-label="Figures of each phase"><table><thead><tr><th scope="col">Phase</th>${heads.map(name => html`<th scope="col">${name}</th>`)}</tr></thead><tbody>${phaseRows(phases).map(([name, ...cells]) => html`<tr><th scope="row">${name}</th>${cells.map(cell => html`<td>${cell}</td>`)}</tr>`)}</tbody></table></div>`;
}

const columns: readonly (readonly [
  string,
  (figures: RequestStatistics, length: number) => string | undefined,
])[] = [
  ['sent', ({ requests }) => grouped(requests)],
  ['failed', ({ failed, errorRate }) => (failed === 0 ? '0' : percentText(errorRate!))],
  ['Apdex', ({ apdex }) => (apdex === undefined ? '' : apdexText(apdex))],
  ['shortest', ({ times }) => shortTime(times.min)],
  ['mean', ({ times }) => shortTime(times.mean)],
  ...toldPercents.map(
    percent => [`${percent} %`, ({ times }: RequestStatistics) => percentileText(times, percent)] as const,
  ),
  ['longest', ({ times }) => shortTime(times.max)],
  ['a second', ({ requests }, length) => rateText(requests / Math.max(length / 1000, 0.001))],
  [
    'received a second',
    ({ received }, length) => sizeText(Math.round(received / Math.max(length / 1000, 0.001))),
  ],
];

function shortTime(milliseconds: number | undefined): string {
  return milliseconds === undefined ? '' : timeText(milliseconds);
}

function cellsOf(figures: RequestStatistics, length: number): Markup {
  return html`${columns.map(([, read]) => html`<td>${read(figures, length)}</td>`)}`;
}
