import type { FlowGraph } from '../core/analysis/flow-graph.ts';
import {
  type Box,
  cut,
  gutter,
  type InnerRoute,
  layOutGraph,
  margin,
  middleOf,
  type Route,
} from './graph-layout.ts';

/** In pixels. */
const legendHeight = 26;
/** How far an arrow that turns back is pulled aside. */
const bulge = 60;

/** The flow as a drawing: pages as boxes, from left to right as they need each other; what goes on as arrows. */
export function graphSvg(graph: FlowGraph): string {
  const { boxes, routes, inner, width, height } = layOutGraph(graph);
  const legend = legendOf(routes, inner, height);
  const whole = {
    width: Math.max(width, legend.width),
    height: height + (legend.lines.length > 0 ? legendHeight : 0),
  };
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${whole.width} ${whole.height}" width="${whole.width}" height="${whole.height}" role="img" aria-label="Flow of data">`,
    style,
    `<rect class="ground" width="${whole.width}" height="${whole.height}"/>`,
    ...routes.map(wayOf),
    ...boxes.map(boxOf),
    ...inner.map(innerOf),
    ...routes.map(({ levels }) => tipOf(levels.at(-1)!)),
    ...namesOf(routes),
    ...legend.lines,
    '</svg>',
    '',
  ].join('\n');
}

const style = `<style>
  .ground { fill: #ffffff } .page { fill: #f4f7f9; stroke: #c3ced6 }
  text { font: 12px system-ui, "Segoe UI", "DejaVu Sans", sans-serif; fill: #1d2b38 }
  .title { font-weight: 600; font-size: 13px } .file, .legend { font-size: 10.5px; fill: #566573 }
  .flow { fill: none; stroke: #1f5f8b; stroke-width: 1.2 } .need { stroke-dasharray: 4 3 }
  .tip { fill: #1f5f8b } .name { font-size: 11px; fill: #1f5f8b }
  .inner { fill: none; stroke: #8fa5b5; stroke-width: 1 } .innertip { fill: #8fa5b5 }
  @media (prefers-color-scheme: dark) {
    .ground { fill: #10181f } .page { fill: #182430; stroke: #34475a } text { fill: #e2eaf0 } .file, .legend { fill: #93a5b4 }
    .flow { stroke: #7db8e0 } .tip, .name { fill: #7db8e0 } .inner { stroke: #5d7488 } .innertip { fill: #5d7488 }
  }
</style>`;

function boxOf(box: Box): string {
  const { page, cases, x, y, width, height } = box;
  const lines = cases.map(
    each => `  <text x="${x + 12}" y="${middleOf(box, each) + 4}">${escaped(cut(each.title, 46))}</text>`,
  );
  return [
    `<g><rect class="page" x="${x}" y="${y}" width="${width}" height="${height}" rx="4"/>`,
    `  <text class="title" x="${x + 12}" y="${y + 19}">${escaped(cut(page.title, 42))}</text>`,
    `  <text class="file" x="${x + 12}" y="${y + 34}">${escaped(cut(page.file, 52))}</text>`,
    ...lines,
    '</g>',
  ].join('\n');
}

function wayOf({ isNeed, levels }: Route): string {
  const [begin, ...rest] = levels;
  let way = `M${begin!.to} ${begin!.y}`;
  let last = begin!;
  for (const level of rest) {
    const goesBack = last.to < last.from;
    const turnsBack = level.to < level.from !== goesBack;
    const [a, b] = turnsBack
      ? [last.to, level.from].map(x => x + (goesBack ? -bulge : bulge))
      : [(last.to + level.from) / 2, (last.to + level.from) / 2];
    way += ` C${a} ${last.y} ${b} ${level.y} ${level.from} ${level.y} H${level === levels.at(-1) ? level.to - 6 : level.to}`;
    last = level;
  }
  return `<path class="flow${isNeed ? ' need' : ''}" d="${way}"/>`;
}

function tipOf({ to, y }: Route['levels'][number]): string {
  return `<path class="tip" d="M${to} ${y} l-7 -3.5 v7 z"/>`;
}

/** A name stands where the arrow ends, above its level part; several that end at the same place stand there together. */
function namesOf(routes: readonly Route[]): string[] {
  const names = new Map<string, { x: number; y: number; labels: Set<string> }>();
  for (const { levels, label } of routes) {
    if (label === '') continue;
    const { to: x, y } = levels.at(-1)!;
    const known = names.get(`${x} ${y}`) ?? { x, y, labels: new Set() };
    names.set(`${x} ${y}`, known);
    known.labels.add(label);
  }
  return [...names.values()].map(
    ({ x, y, labels }) =>
      `<text class="name" x="${x - 10}" y="${y - 4}" text-anchor="end">${escaped(cut([...labels].join(', '), 24))}</text>`,
  );
}

function innerOf({ box, from, to }: InnerRoute): string {
  const x = box.x + box.width - gutter + 6;
  const out = Math.min(gutter - 8, 8 + Math.abs(to - from) / 12);
  return `<path class="inner" d="M${x} ${from} C${x + out} ${from} ${x + out} ${to} ${x + 5} ${to}"/><path class="innertip" d="M${x} ${to} l6 -3 v6 z"/>`;
}

/** What each kind of arrow means, as far as it is there. */
function legendOf(
  routes: readonly Route[],
  inner: readonly InnerRoute[],
  top: number,
): { lines: string[]; width: number } {
  const kinds: [shape: string, meaning: string][] = [
    ...(routes.some(({ isNeed }) => !isNeed) ? [['flow', 'a value goes on'] as [string, string]] : []),
    ...(routes.some(({ isNeed }) => isNeed)
      ? [['flow need', 'runs first, gives nothing'] as [string, string]]
      : []),
    ...(inner.length > 0 ? [['inner', 'inside a page'] as [string, string]] : []),
  ];
  let x = margin;
  const lines = kinds.map(([shape, meaning]) => {
    const line = `<path class="${shape}" d="M${x} ${top + 4} h30"/><text class="legend" x="${x + 38}" y="${top + 8}">${meaning}</text>`;
    x += 38 + meaning.length * 6 + 24;
    return line;
  });
  return { lines, width: x };
}

function escaped(text: string): string {
  return text
    .replace(/[\u0000-\u001f\u007f-\u009f\ufffe\uffff]/g, ' ')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
