import { depthsOf, type FlowEdge, type FlowGraph, pageOfCase } from '../core/analysis/flow-graph.ts';
import type { PlannedCase, PlannedPage } from '../core/analysis/plan.ts';

// Lengths are in pixels.

/** Of each case in the box of its page. */
const rowHeight = 22;
const leastHead = 44;
/** Between two arrows that end at the head of a page. */
const portHeight = 15;
/** So many cases of a page get an arrow each; more of them get one to the head of their page. */
const fewUsers = 3;
/** Between two arrows that go past the boxes of a column. */
const laneHeight = 14;
export const margin = 24;
const gap = 26;
/** At the right edge of a page, for what goes on inside it. */
export const gutter = 30;
/** Between two columns, before the names: there the arrows turn. */
const turn = 84;
const character = 6.6;
/** A name is no longer, in characters. */
const longestName = 24;

export interface Box {
  readonly page: PlannedPage;
  readonly cases: readonly PlannedCase[];
  readonly column: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly head: number;
  /** What ends at its head. */
  readonly ports: readonly string[];
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** An arrow from page to page. */
export interface Route {
  readonly isNeed: boolean;
  /** What goes on, as it stands where the arrow ends. */
  readonly label: string;
  /**
   * Where the way is level: at its beginning, past the boxes of each column between, where its name stands. Where it goes
   * back, it does so below all boxes.
   */
  readonly levels: readonly { readonly from: number; readonly to: number; readonly y: number }[];
}

/** An arrow from case to case of one page. */
export interface InnerRoute {
  readonly box: Box;
  readonly from: number;
  readonly to: number;
}

export interface GraphLayout {
  readonly boxes: readonly Box[];
  readonly routes: readonly Route[];
  readonly inner: readonly InnerRoute[];
  readonly width: number;
  readonly height: number;
}

/** From where to where an arrow goes, before anything has its place. */
interface Link {
  readonly edge: FlowEdge;
  readonly file: string;
  /** The case that it ends at; nothing where it ends at the head of the page. */
  readonly user: PlannedCase | undefined;
  readonly label: string;
}

/** Columns of pages as they need each other, and arrows that go past the boxes between them. */
export function layOutGraph({ pages, edges }: FlowGraph): GraphLayout {
  const links = linksOf(edges);
  const columns = columnsOf(pages, edges, links);
  const first = placeBoxes(columns, new Map());
  const lanes = lanesOf(links, first);
  const boxes = placeBoxes(columns, lanes);
  const byFile = new Map(boxes.map(box => [box.page.file, box]));
  const last = columns.at(-1);
  const backLanes = backLanesOf(links, first);
  const bottoms = columns.map(
    (_, column) => bottomOf(boxes, column) + lanesBelow(lanes, column, boxes) * laneHeight,
  );
  const below = Math.max(80 - margin, ...bottoms);
  const end = last ? last.x + last.width + margin : 0;
  return {
    boxes,
    routes: links.map(link => {
      const lane = backLanes.indexOf(link.edge.from.address);
      return isBack(link, boxes)
        ? backRouteOf(link, byFile, columns, below + 14 + lane * laneHeight)
        : routeOf(link, byFile, columns, lanes, boxes);
    }),
    inner: edges.flatMap(edge => innerRoutesOf(edge, byFile)),
    width: Math.max(200, end + (backLanes.length > 0 ? turn / 2 : 0)),
    height: below + backLanes.length * laneHeight + margin,
  };
}

function linksOf(edges: readonly FlowEdge[]): Link[] {
  return edges.flatMap(edge =>
    [...byPage(edge.to)].flatMap(([file, users]): Link[] => {
      if (file === pageOfCase(edge.from)) return [];
      const name = cut(edge.name ?? '', longestName);
      if (users.length > fewUsers)
        return [{ edge, file, user: undefined, label: `${name === '' ? 'first' : name} ×${users.length}` }];
      return users.map(user => ({ edge, file, user, label: name }));
    }),
  );
}

function byPage(cases: readonly PlannedCase[]): Map<string, PlannedCase[]> {
  const pages = new Map<string, PlannedCase[]>();
  for (const each of cases) pages.set(pageOfCase(each), [...(pages.get(pageOfCase(each)) ?? []), each]);
  return pages;
}

function portOf({ edge }: Link): string {
  return `${edge.from.address} ${edge.name ?? ''}`;
}

interface Column {
  readonly x: number;
  readonly width: number;
  /** Before it, so wide that every name has its place. */
  readonly names: number;
  readonly pages: readonly {
    readonly page: PlannedPage;
    readonly cases: readonly PlannedCase[];
    readonly ports: readonly string[];
  }[];
}

function columnsOf(
  pages: readonly PlannedPage[],
  edges: readonly FlowEdge[],
  links: readonly Link[],
): Column[] {
  const taking = new Set(edges.flatMap(({ from, to }) => [from, ...to]));
  const depths = depthsOf(pages);
  const grouped: Column['pages'][number][][] = [];
  for (const page of pages) {
    const cases = page.cases.filter(each => taking.has(each));
    if (cases.length === 0) continue;
    const depth = depths.get(page.file)!;
    while (grouped.length <= depth) grouped.push([]);
    const own = links.filter(({ file, user }) => file === page.file && user === undefined);
    grouped[depth]!.push({ page, cases, ports: [...new Set(own.map(portOf))] });
  }
  let x = margin;
  return grouped.map((pages, depth) => {
    const files = new Set(pages.map(({ page }) => page.file));
    const ending = links.filter(({ file }) => files.has(file));
    const names = ending.length > 0 ? namesWidth(ending) : 0;
    if (depth > 0 || names > 0) x += turn + names;
    const width = boxWidth(pages);
    const column = { x, width, names, pages };
    x += width;
    return column;
  });
}

/** So wide are the names that end at the same place. */
function namesWidth(links: readonly Link[]): number {
  const longest = Math.max(0, ...endsOf(links).map(labels => labels.join(', ').length));
  return Math.round(Math.min(longest, longestName) * 6.2) + 22;
}

function endsOf(links: readonly Link[]): string[][] {
  const ends = new Map<string, Set<string>>();
  for (const link of links) {
    const key = link.user?.address ?? `${link.file} ${portOf(link)}`;
    ends.set(key, (ends.get(key) ?? new Set()).add(link.label));
  }
  return [...ends.values()].map(labels => [...labels]);
}

function boxWidth(pages: Column['pages']): number {
  const widest = Math.max(
    ...pages.flatMap(({ page, cases }) => [
      page.title.length * 7.4,
      page.file.length * 6,
      ...cases.map(each => each.title.length * character),
    ]),
    80,
  );
  return Math.round(Math.min(widest, 320)) + 24 + gutter;
}

/** Past a column, what goes past its boxes: by the gap above each box, and by the case that it comes from. */
type Lanes = ReadonlyMap<string, readonly string[]>;

function laneKey(column: number, gapIndex: number): string {
  return `${column} ${gapIndex}`;
}

function placeBoxes(columns: readonly Column[], lanes: Lanes): Box[] {
  return columns.flatMap(({ x, width, pages }, column) => {
    let y = margin;
    return pages.map(({ page, cases, ports }, index): Box => {
      y += (lanes.get(laneKey(column, index))?.length ?? 0) * laneHeight;
      const head = Math.max(leastHead, ports.length * portHeight + 12);
      const height = head + cases.length * rowHeight + 8;
      const box = { page, cases, column, x, y, width, height, head, ports };
      y += height + gap;
      return box;
    });
  });
}

/** Every arrow that skips columns goes past each of them in the gap that is nearest to its straight way. */
function lanesOf(links: readonly Link[], boxes: readonly Box[]): Lanes {
  const lanes = new Map<string, string[]>();
  for (const link of links) {
    const [source, target] = endsIn(link, boxes);
    for (let column = source.column + 1; column < target.column; column++) {
      const part = (column - source.column) / (target.column - source.column);
      const from = middleOf(source, link.edge.from);
      const key = laneKey(column, nearestGap(boxes, column, from + (endY(link, target) - from) * part));
      const known = lanes.get(key) ?? [];
      // What comes from one case goes on together.
      if (!known.includes(link.edge.from.address)) lanes.set(key, [...known, link.edge.from.address]);
    }
  }
  return lanes;
}

function endsIn({ edge, file }: Link, boxes: readonly Box[]): [source: Box, target: Box] {
  const of = (wanted: string) => boxes.find(({ page }) => page.file === wanted)!;
  return [of(pageOfCase(edge.from)), of(file)];
}

function nearestGap(boxes: readonly Box[], column: number, y: number): number {
  const own = boxes.filter(box => box.column === column);
  const gaps = [...own.map(box => box.y - gap / 2), bottomOf(boxes, column) + gap / 2];
  return gaps.reduce((best, at, index) => (Math.abs(at - y) < Math.abs(gaps[best]! - y) ? index : best), 0);
}

function bottomOf(boxes: readonly Box[], column: number): number {
  return Math.max(0, ...boxes.filter(box => box.column === column).map(box => box.y + box.height));
}

function lanesBelow(lanes: Lanes, column: number, boxes: readonly Box[]): number {
  return lanes.get(laneKey(column, boxes.filter(box => box.column === column).length))?.length ?? 0;
}

function routeOf(
  link: Link,
  byFile: ReadonlyMap<string, Box>,
  columns: readonly Column[],
  lanes: Lanes,
  boxes: readonly Box[],
): Route {
  const { edge, label } = link;
  const source = byFile.get(pageOfCase(edge.from))!;
  const target = byFile.get(link.file)!;
  const right = source.x + source.width;
  const levels = [{ from: right, to: right, y: middleOf(source, edge.from) }];
  for (let column = source.column + 1; column < target.column; column++) {
    const { x, width, names } = columns[column]!;
    levels.push({ from: x - names, to: x + width, y: laneY(edge.from.address, column, lanes, boxes) });
  }
  levels.push({ from: target.x - columns[target.column]!.names, to: target.x, y: endY(link, target) });
  return { isNeed: edge.name === undefined, label, levels };
}

/** Whether an arrow does not go on to the right: what cleans up at the end may take from a page that needs its own. */
function isBack(link: Link, boxes: readonly Box[]): boolean {
  const [source, target] = endsIn(link, boxes);
  return target.column <= source.column;
}

/** Below all boxes: what goes back, by the case that it comes from. */
function backLanesOf(links: readonly Link[], boxes: readonly Box[]): string[] {
  return [...new Set(links.filter(link => isBack(link, boxes)).map(({ edge }) => edge.from.address))];
}

function backRouteOf(
  link: Link,
  byFile: ReadonlyMap<string, Box>,
  columns: readonly Column[],
  below: number,
): Route {
  const { edge, label } = link;
  const source = byFile.get(pageOfCase(edge.from))!;
  const target = byFile.get(link.file)!;
  const right = source.x + source.width;
  const left = target.x - columns[target.column]!.names;
  return {
    isNeed: edge.name === undefined,
    label,
    levels: [
      { from: right, to: right, y: middleOf(source, edge.from) },
      { from: right, to: left, y: below },
      { from: left, to: target.x, y: endY(link, target) },
    ],
  };
}

/** Where what comes from a case goes past a column: above the box that the gap belongs to, or below the last one. */
function laneY(from: string, column: number, lanes: Lanes, boxes: readonly Box[]): number {
  const own = boxes.filter(box => box.column === column);
  for (let index = 0; index <= own.length; index++) {
    const known = lanes.get(laneKey(column, index)) ?? [];
    const at = known.indexOf(from);
    if (at < 0) continue;
    const below = own[index];
    return below
      ? below.y - 10 - (known.length - 1 - at) * laneHeight
      : bottomOf(boxes, column) + 14 + at * laneHeight;
  }
  return margin;
}

function endY(link: Link, target: Box): number {
  return link.user
    ? middleOf(target, link.user)
    : target.y + 15 + target.ports.indexOf(portOf(link)) * portHeight;
}

export function middleOf({ cases, y, head }: Box, each: PlannedCase): number {
  return y + head + cases.indexOf(each) * rowHeight + 11;
}

function innerRoutesOf({ from, to }: FlowEdge, byFile: ReadonlyMap<string, Box>): InnerRoute[] {
  const box = byFile.get(pageOfCase(from))!;
  return (byPage(to).get(box.page.file) ?? []).map(user => ({
    box,
    from: middleOf(box, from),
    to: middleOf(box, user),
  }));
}

export function cut(text: string, most: number): string {
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}
