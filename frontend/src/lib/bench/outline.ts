import type { PageContent, Region } from '../api/client';
import { boxOf } from './content';

/** Outlines on the sheet, in pixels of the page. */
export type Pair = [number, number];

export const rectangle = (a: Pair, b: Pair): Pair[] => {
  const [left, right] = [Math.min(a[0], b[0]), Math.max(a[0], b[0])];
  const [top, bottom] = [Math.min(a[1], b[1]), Math.max(a[1], b[1])];
  return [[left, top], [right, top], [right, bottom], [left, bottom]];
};

/** Whether an outline is an upright rectangle. */
export function upright(outline: Pair[]): boolean {
  if (outline.length !== 4) return false;
  const [xs, ys] = [new Set(outline.map((p) => p[0])), new Set(outline.map((p) => p[1]))];
  return xs.size === 2 && ys.size === 2;
}

/** By the even-odd rule. */
export function inside(outline: Pair[], [x, y]: Pair): boolean {
  let held = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [ax, ay] = outline[i]!, [bx, by] = outline[j]!;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) held = !held;
  }
  return held;
}

/** The region at a place; of several, the smallest. */
export function regionAt(regions: Region[], at: Pair): Region | null {
  const area = (r: Region) => {
    const b = boxOf(r);
    return (b[2] - b[0]) * (b[3] - b[1]);
  };
  const held = regions.filter((r) => inside(r.outline as Pair[], at));
  return held.length ? held.reduce((a, b) => (area(b) < area(a) ? b : a)) : null;
}

/** The regions that a stroke goes through, each where it is met first; gaps and crossings do not matter. */
export function threaded(regions: Region[], stroke: Pair[], step: number): string[] {
  const met: string[] = [];
  const look = (at: Pair) => {
    const region = regionAt(regions, at);
    if (region && !met.includes(region.id)) met.push(region.id);
  };
  stroke.forEach((to, i) => {
    const from = stroke[i - 1] ?? to;
    const parts = Math.max(1, Math.ceil(Math.hypot(to[0] - from[0], to[1] - from[1]) / step));
    for (let n = 1; n <= parts; n++) look([from[0] + ((to[0] - from[0]) * n) / parts, from[1] + ((to[1] - from[1]) * n) / parts]);
  });
  return met;
}

const LEAST_SIDE = 12; // pixels of the page

/** An outline with one of its handles moved: a corner, or of a rectangle also a side (4 to 7, from the top round). */
export function moved(outline: Pair[], handle: number, dx: number, dy: number): Pair[] {
  if (!upright(outline)) return outline.map((p, i) => (i === handle ? [p[0] + dx, p[1] + dy] : [...p]) as Pair);
  let [left, top] = outline[0]!, [right, bottom] = outline[2]!;
  if (handle === 0 || handle === 3 || handle === 7) left += dx;
  if (handle === 1 || handle === 2 || handle === 5) right += dx;
  if (handle === 0 || handle === 1 || handle === 4) top += dy;
  if (handle === 2 || handle === 3 || handle === 6) bottom += dy;
  // A side stops short of the one across.
  const [moves, least] = [(...of: number[]) => of.includes(handle), LEAST_SIDE];
  if (right - left < least) moves(0, 3, 7) ? (left = right - least) : (right = left + least);
  if (bottom - top < least) moves(0, 1, 4) ? (top = bottom - least) : (bottom = top + least);
  return rectangle([left, top], [right, bottom]);
}

export const shifted = (outline: Pair[], dx: number, dy: number): Pair[] => outline.map(([x, y]) => [x + dx, y + dy]);

export interface Handle { index: number; x: number; y: number; name: string }

const CORNERS = ['Upper left corner', 'Upper right corner', 'Lower right corner', 'Lower left corner'];

/** Where an outline is taken hold of. */
export function handlesOf(outline: Pair[]): Handle[] {
  if (!upright(outline)) return outline.map(([x, y], index) => ({ index, x, y, name: `Corner ${index + 1} of ${outline.length}` }));
  const [l, t] = outline[0]!, [r, b] = outline[2]!;
  const sides: [number, number, string][] = [[(l + r) / 2, t, 'Upper side'], [r, (t + b) / 2, 'Right side'], [(l + r) / 2, b, 'Lower side'], [l, (t + b) / 2, 'Left side']];
  return [...outline.map(([x, y], index) => ({ index, x, y, name: CORNERS[index]! })), ...sides.map(([x, y, name], i) => ({ index: i + 4, x, y, name }))];
}

/** Gaps between a region's lines, where it can be cut across. */
export function gapsOf(region: Region): number[] {
  const lines = [...(region.lines ?? [])].sort((a, b) => a.box[1]! - b.box[1]!);
  return lines.slice(1).map((line, i) => (lines[i]!.box[3]! + line.box[1]!) / 2);
}

export interface Lines { rows: number[]; columns: number[] }

/** Where a table's lines stand, from its cells. */
export function linesOfTable(table: NonNullable<Region['table']>): Lines {
  const along = (count: number, first: 'row' | 'column', length: 'row_span' | 'column_span', start: number, end: number) => {
    const at: number[] = Array.from({ length: count + 1 }, (_, i) => {
      const edges = [
        ...table.cells.filter((c) => c[first] === i).map((c) => c.box[start]!),
        ...table.cells.filter((c) => c[first] + (c[length] ?? 1) === i).map((c) => c.box[end]!),
      ].sort((a, b) => a - b);
      return edges.length ? (edges[edges.length >> 1]! + edges[(edges.length - 1) >> 1]!) / 2 : NaN;
    });
    return at.map((v, i) => (Number.isNaN(v) ? (at[i - 1]! + (at.slice(i).find((x) => !Number.isNaN(x)) ?? at[i - 1]!)) / 2 : v));
  };
  return { rows: along(table.rows, 'row', 'row_span', 1, 3), columns: along(table.columns, 'column', 'column_span', 0, 2) };
}

/** How many rows at the head and columns where rows begin are headers. */
export function headersOf(table: NonNullable<Region['table']>): { rows: number; columns: number } {
  const head = (row: number, column: number) =>
    table.cells.some((c) => c.header && c.row <= row && row < c.row + (c.row_span ?? 1) && c.column <= column && column < c.column + (c.column_span ?? 1));
  let rows = 0, columns = 0;
  while (rows < table.rows && Array.from({ length: table.columns }, (_, c) => head(rows, c)).every(Boolean)) rows++;
  const below = Array.from({ length: table.rows - rows }, (_, r) => r + rows);
  const place = (c: number) => (table.backwards ? table.columns - 1 - c : c);
  while (below.length && columns < table.columns && below.every((r) => head(r, place(columns)))) columns++;
  return { rows, columns };
}

export const everything = (content: PageContent | null | undefined): Region[] => [...(content?.regions ?? []), ...(content?.artifacts ?? [])];
