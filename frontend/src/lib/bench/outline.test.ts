import { describe, expect, it } from 'vitest';
import type { Region } from '../api/client';
import { gapsOf, headersOf, inside, linesOfTable, moved, rectangle, threaded, upright, type Pair } from './outline';
import { Tables } from './tables.svelte';
import { cellRows } from './taking.svelte';

const block = (id: string, x: number, y: number, w = 80, h = 30): Region => ({ id, outline: rectangle([x, y], [x + w, y + h]), lines: [] }) as unknown as Region;
/** Thirty blocks in three columns. */
const thirty = Array.from({ length: 30 }, (_, i) => block(`r${i}`, (i % 3) * 100, Math.floor(i / 3) * 50));
const middle = (r: Region): Pair => [(r.outline[0]![0] as number) + 40, (r.outline[0]![1] as number) + 15];

/** Small and even, so that a failure here is a failure everywhere (Park and Miller, CACM 31(10), 1988). */
function chance(seed: number): () => number {
  let now = seed;
  return () => (now = (now * 48271) % 2147483647) / 2147483647;
}

describe('a stroke through blocks', () => {
  it('sets exactly the order drawn, whatever order that is', () => {
    const next = chance(7);
    for (let round = 0; round < 80; round++) {
      const wanted = thirty.map((r) => [next(), r] as const).sort((a, b) => a[0] - b[0]).map(([, r]) => r).slice(0, 2 + Math.floor(next() * 29));
      // Between two blocks the stroke goes along the white: out to the gutter, up or down it, in again; it crosses itself and goes back over blocks it has met.
      const stroke: Pair[] = wanted.flatMap((r): Pair[] => {
        const [x, y] = middle(r);
        return [[-50, y + 25], [x - 50, y + 25], [x - 50, y], [x, y], [x - 50, y], [x - 50, y + 25], [-50, y + 25]];
      });
      expect(threaded(thirty, stroke, 3)).toEqual(wanted.map((r) => r.id));
    }
  });
  it('misses none, however fast it is drawn, and counts each once', () => {
    const down = [0, 3, 6, 9].map((i) => thirty[i]!.id);
    expect(threaded(thirty, [[40, -10], [40, 185]], 3)).toEqual(down);
    expect(threaded(thirty, [[40, -10], [40, 185], [40, -10]], 3)).toEqual(down);
  });
  it('takes the smaller of two that lie on each other, and nothing for white', () => {
    const nested = [block('around', 0, 0, 300, 300), block('within', 100, 100)];
    expect(threaded(nested, [[130, 110], [135, 112]], 3)).toEqual(['within']);
    expect(threaded(nested, [[400, 400], [500, 500]], 3)).toEqual([]);
  });
});

describe('an outline', () => {
  it('holds points by the even-odd rule', () => {
    const notched: Pair[] = [[0, 0], [100, 0], [100, 100], [50, 100], [50, 50], [0, 50]];
    expect([inside(notched, [75, 75]), inside(notched, [25, 75]), inside(notched, [25, 25])]).toEqual([true, false, true]);
  });
  it('is moved by its sides and corners, and no side passes the one across', () => {
    const square = rectangle([0, 0], [100, 100]);
    expect(moved(square, 5, 20, 99)).toEqual(rectangle([0, 0], [120, 100]));
    expect(moved(square, 0, 10, 5)).toEqual(rectangle([10, 5], [100, 100]));
    const flat = moved(square, 6, 0, -500);
    expect(upright(flat) && flat[2]![1]! > flat[0]![1]!).toBe(true);
    expect(moved([[0, 0], [9, 0], [5, 5]], 2, 1, 1)).toEqual([[0, 0], [9, 0], [6, 6]]);
  });
});

describe('a table', () => {
  const cell = (row: number, column: number, across = 1, header = false) => ({
    row, column, row_span: 1, column_span: across, header, lines: [], box: [column * 50, row * 20, (column + across) * 50, (row + 1) * 20],
  });
  const table = { rows: 2, columns: 3, cells: [cell(0, 0, 1, true), cell(0, 1, 2, true), cell(1, 0, 1, true), cell(1, 1), cell(1, 2)] } as unknown as NonNullable<Region['table']>;
  it('tells its lines, those that a cell spans too, and its headers', () => {
    expect(linesOfTable(table)).toEqual({ rows: [0, 20, 40], columns: [0, 50, 100, 150] });
    expect(headersOf(table)).toEqual({ rows: 1, columns: 1 });
  });
  it('is headed, taken in hand and copied from where its rows begin', () => {
    const line = (text: string) => [{ words: [{ text }] }];
    const cells = [cell(0, 2, 1, true), cell(0, 0, 2, true), cell(1, 2, 1, true), cell(1, 1), cell(1, 0)].map((c, i) => ({ ...c, lines: line('abcde'[i]!) }));
    const backwards = { id: 'r1', table: { rows: 2, columns: 3, backwards: true, cells } } as unknown as Region;
    expect(headersOf(backwards.table!)).toEqual({ rows: 1, columns: 1 });
    expect(cellRows(backwards)).toEqual([['a', 'b', ''], ['c', 'd', 'e']]);
    const inHand = new Tables();
    inHand.take(backwards);
    expect([inHand.row, inHand.column]).toEqual([0, 2]);
    expect(inHand.follow(backwards.table!, 1) && inHand.column).toBe(0);
  });
  it('is cut between lines', () => {
    const lines = [0, 40, 80].map((top) => ({ box: [0, top, 90, top + 20] }));
    expect(gapsOf({ lines } as unknown as Region)).toEqual([30, 70]);
  });
});
