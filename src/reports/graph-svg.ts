import { depthsOf, type FlowEdge, type FlowGraph, pageOfCase } from '../core/analysis/flow-graph.ts';
import type { PlannedCase, PlannedPage } from '../core/analysis/plan.ts';

/** In pixels. */
const row = 22;
const leastHead = 44;
/** Between two arrows that end at the head of a page. */
const portHeight = 15;
/** So many cases of a page get an arrow each; more of them get one to the head of their page. */
const fewUsers = 3;
const margin = 24;
/** Between two columns: room for the arrows and their names. */
const channel = 150;
const gap = 26;
/** At the right edge of a page, for what goes on inside it. */
const gutter = 30;
const character = 6.6;

interface Box {
  readonly page: PlannedPage;
  readonly cases: readonly PlannedCase[];
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly head: number;
  /** What ends at its head. */
  readonly ports: readonly string[];
}

/** The flow as a drawing: pages as boxes, from left to right as they need each other; what goes on as arrows. */
export function graphSvg(graph: FlowGraph): string {
  const { boxes, width, height } = layOut(graph);
  const byFile = new Map(boxes.map(box => [box.page.file, box]));
  const arrows = graph.edges.flatMap(edge => arrowsOf(edge, byFile));
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" role="img" aria-label="Flow of data">`,
    style,
    `<rect class="ground" width="${width}" height="${height}"/>`,
    ...arrows.map(({ way }) => way).filter(way => way !== ''),
    ...boxes.map(boxOf),
    ...arrows.map(({ tip }) => tip),
    ...namesOf(arrows),
    '</svg>',
    '',
  ].join('\n');
}

const style = `<style>
  .ground { fill: #ffffff } .page { fill: #f4f7f9; stroke: #c3ced6 }
  text { font: 12px system-ui, "Segoe UI", "DejaVu Sans", sans-serif; fill: #1d2b38 }
  .title { font-weight: 600; font-size: 13px } .file { font-size: 10.5px; fill: #566573 }
  .flow { fill: none; stroke: #1f5f8b; stroke-width: 1.2 } .need { stroke-dasharray: 4 3 }
  .tip { fill: #1f5f8b } .name { font-size: 11px; fill: #1f5f8b; paint-order: stroke; stroke: #ffffff; stroke-width: 3px }
  .inner { fill: none; stroke: #8fa5b5; stroke-width: 1 } .innertip { fill: #8fa5b5 }
  @media (prefers-color-scheme: dark) {
    .ground { fill: #10181f } .page { fill: #182430; stroke: #34475a } text { fill: #e2eaf0 } .file { fill: #93a5b4 }
    .flow { stroke: #7db8e0 } .tip, .name { fill: #7db8e0 } .name { stroke: #10181f } .inner { stroke: #5d7488 } .innertip { fill: #5d7488 }
  }
</style>`;

function layOut({ pages, edges }: FlowGraph): { boxes: Box[]; width: number; height: number } {
  const taking = new Set(edges.flatMap(({ from, to }) => [from, ...to]));
  const depths = depthsOf(pages);
  const columns: { x: number; width: number; pages: { page: PlannedPage; cases: PlannedCase[] }[] }[] = [];
  for (const page of pages) {
    const cases = page.cases.filter(each => taking.has(each));
    if (cases.length === 0) continue;
    const depth = depths.get(page.file)!;
    while (columns.length <= depth) columns.push({ x: 0, width: 0, pages: [] });
    columns[depth]!.pages.push({ page, cases });
  }
  let x = margin;
  let height = 0;
  const boxes: Box[] = [];
  for (const column of columns) {
    const widest = Math.max(
      ...column.pages.flatMap(({ page, cases }) => [
        page.title.length * 7.4,
        page.file.length * 6,
        ...cases.map(each => each.title.length * character),
      ]),
      80,
    );
    const width = Math.round(Math.min(widest, 320)) + 24 + gutter;
    let y = margin;
    for (const { page, cases } of column.pages) {
      const ports = edges
        .filter(({ from }) => pageOfCase(from) !== page.file)
        .flatMap(({ from, name, to }) =>
          (byPage(to).get(page.file)?.length ?? 0) > fewUsers ? [portOf(from, name)] : [],
        );
      const head = Math.max(leastHead, ports.length * portHeight + 12);
      const boxHeight = head + cases.length * row + 8;
      boxes.push({ page, cases, x, y, width, height: boxHeight, head, ports });
      y += boxHeight + gap;
    }
    height = Math.max(height, y - gap + margin);
    x += width + channel;
  }
  return { boxes, width: Math.max(200, x - channel + margin), height: Math.max(80, height) };
}

function boxOf({ page, cases, x, y, width, height, head }: Box): string {
  const lines = cases.map(
    (each, index) =>
      `  <text x="${x + 12}" y="${y + head + index * row + 15}">${escaped(cut(each.title, 46))}</text>`,
  );
  return [
    `<g><rect class="page" x="${x}" y="${y}" width="${width}" height="${height}" rx="4"/>`,
    `  <text class="title" x="${x + 12}" y="${y + 19}">${escaped(cut(page.title, 42))}</text>`,
    `  <text class="file" x="${x + 12}" y="${y + 34}">${escaped(cut(page.file, 52))}</text>`,
    ...lines,
    '</g>',
  ].join('\n');
}

function arrowsOf({ from, name, to }: FlowEdge, boxes: ReadonlyMap<string, Box>): Arrow[] {
  const box = boxes.get(pageOfCase(from))!;
  const start = { x: box.x + box.width, y: middleOf(box, from) };
  return [...byPage(to)].flatMap(([file, users]) => {
    const target = boxes.get(file)!;
    if (target === box) return users.map(user => innerArrow(box, from, user));
    const port = target.ports.indexOf(portOf(from, name));
    const ends =
      port < 0
        ? users.map(user => ({ y: middleOf(target, user), label: name ?? '' }))
        : [{ y: target.y + 15 + port * portHeight, label: `${name ?? 'first'} ×${users.length}` }];
    return ends.map(({ y, label }) => outerArrow(start, { x: target.x, y }, label, name === undefined));
  });
}

function byPage(cases: readonly PlannedCase[]): Map<string, PlannedCase[]> {
  const pages = new Map<string, PlannedCase[]>();
  for (const each of cases) pages.set(pageOfCase(each), [...(pages.get(pageOfCase(each)) ?? []), each]);
  return pages;
}

function portOf({ address }: PlannedCase, name = ''): string {
  return `${address} ${name}`;
}

function middleOf({ cases, y, head }: Box, each: PlannedCase): number {
  return y + head + cases.indexOf(each) * row + 11;
}

interface Point {
  readonly x: number;
  readonly y: number;
}

/** The way goes below the boxes, its tip and its name above them. */
interface Arrow {
  readonly way: string;
  readonly tip: string;
  readonly end?: Point;
  readonly label?: string;
}

/** Several names that end at the same place stand there together. */
function namesOf(arrows: readonly Arrow[]): string[] {
  const names = new Map<string, { end: Point; labels: Set<string> }>();
  for (const { end, label } of arrows) {
    if (!end || !label) continue;
    const key = `${end.x} ${end.y}`;
    const known = names.get(key) ?? { end, labels: new Set() };
    names.set(key, known);
    known.labels.add(label);
  }
  return [...names.values()].map(
    ({ end, labels }) =>
      `<text class="name" x="${end.x - 10}" y="${end.y - 4}" text-anchor="end">${escaped(cut([...labels].join(', '), 24))}</text>`,
  );
}

/** A name stands where the arrow ends: there no two of them meet. */
function outerArrow(start: Point, end: Point, label: string, isNeed: boolean): Arrow {
  const bend = Math.max(40, (end.x - start.x) / 2);
  const way = `M${start.x} ${start.y} C${start.x + bend} ${start.y} ${end.x - bend} ${end.y} ${end.x - 6} ${end.y}`;
  const tip = `<path class="tip" d="M${end.x} ${end.y} l-7 -3.5 v7 z"/>`;
  return { way: `<path class="flow${isNeed ? ' need' : ''}" d="${way}"/>`, tip, end, label };
}

function innerArrow(box: Box, from: PlannedCase, to: PlannedCase): Arrow {
  const x = box.x + box.width - gutter + 6;
  const [a, b] = [middleOf(box, from), middleOf(box, to)];
  const out = Math.min(gutter - 8, 8 + Math.abs(b - a) / 12);
  const way = `<path class="inner" d="M${x} ${a} C${x + out} ${a} ${x + out} ${b} ${x + 5} ${b}"/>`;
  return { way: '', tip: `${way}<path class="innertip" d="M${x} ${b} l6 -3 v6 z"/>` };
}

function cut(text: string, most: number): string {
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}

function escaped(text: string): string {
  return text
    .replace(/[\u0000-\u001f\u007f-\u009f\ufffe\uffff]/g, ' ')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
