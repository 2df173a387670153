import { describe, expect, it } from 'vitest';
import { reach, within, type Placed } from './running';

const entries: Placed[] = [
  { id: 1, depth: 0, section: true },
  { id: 2, depth: 1, section: false },
  { id: 3, depth: 1, section: false },
  { id: 4, depth: 0, section: true },
  { id: 5, depth: 1, section: false },
];
const ids = (order: { id: number }[] | null) => order?.map((e) => e.id);

describe('the running order', () => {
  it('takes a section with what lies in it', () => {
    expect(reach(entries, 0)).toEqual([0, 2]);
    expect(reach(entries, 1)).toEqual([1, 1]);
    expect(ids(within(entries, reach(entries, 3), 0))).toEqual([4, 5, 1, 2, 3]);
  });
  it('puts a document before another and as deep as what it comes behind', () => {
    expect(within(entries, [4, 4], 1)).toEqual([{ id: 1, depth: 0 }, { id: 5, depth: 1 }, { id: 2, depth: 1 }, { id: 3, depth: 1 }, { id: 4, depth: 0 }]);
    expect(within(entries, [4, 4], 0)![0]).toEqual({ id: 5, depth: 0 });
  });
  it('goes a step down past its neighbour', () => {
    expect(ids(within(entries, [1, 1], 3))).toEqual([1, 3, 2, 4, 5]);
    expect(within(entries, [4, 4], 6)).toBeNull();
  });
  it('changes a depth in its place, no deeper than beneath what stands before', () => {
    expect(within(entries, [2, 2], 2, 2)![2]).toEqual({ id: 3, depth: 2 });
    expect(within(entries, [2, 2], 2, 5)![2]).toEqual({ id: 3, depth: 2 });
    expect(within(entries, [0, 2], 0)).toBeNull();
  });
});
