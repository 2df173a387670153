import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, Refused, type Face, type Scan } from '../api/client';
import { desk } from './desk.svelte';
import { notices } from './notices.svelte';
import { PLAIN_WISH, Scanning, sheetsOf } from './scanning.svelte';

const face = (number: number, more: Partial<Face> = {}): Face => ({
  id: number + (more.second_pass ? 100 : 1), second_pass: false, number, fate: 'page', document: 1, title: 'Box 14', page: number + 1, remarks: [], separator: null, width: 10, height: 10, ...more,
});
const scan = (faces: Face[], more: Partial<Scan> = {}): Scan => ({
  id: 1, batch_id: 1, scanner: 1, wish: PLAIN_WISH, running: true, trouble: null, second_pass: false, faces,
  aim: { document: null, after: null, instead: null, cut: 'none', sheets: 1, prefix: 'Scan', counter: 1 }, ...more,
});
const sides = (told: Scan) => sheetsOf(told).map((s) => s.faces.map((f) => f.id));

describe('sheets', () => {
  it('have fronts and backs in turn where both sides are scanned', () => {
    const wish = { ...PLAIN_WISH, sides: 'both' as const };
    expect(sides(scan([face(0), face(1), face(2), face(3), face(4)], { wish }))).toEqual([[1, 2], [3, 4], [5]]);
  });

  it('have the backs of a second pass, the last sheet first, once these are joined', () => {
    const fronts = [face(0), face(1), face(2)], backs = [0, 1, 2].map((n) => face(n, { second_pass: true, fate: 'waiting' }));
    expect(sides(scan([...fronts, ...backs]))).toEqual([[1], [2], [3], [100], [101], [102]]);
    expect(sides(scan([...fronts, ...backs.map((f) => ({ ...f, fate: 'page' }))]))).toEqual([[1, 102], [2, 101], [3, 100]]);
  });

  it('begin a document where another one follows', () => {
    const told = sheetsOf(scan([face(0, { fate: 'separator', document: null }), face(1), face(2), face(3, { document: 2 })]));
    expect(told.map((s) => s.begins)).toEqual([false, true, false, true]);
  });
});

describe('sheets that come', () => {
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
  });

  it('are asked for without those that are known, until no more come', async () => {
    const all = Array.from({ length: 30 }, (_, n) => face(n));
    let here = 20, running = true;
    const asked: number[] = [];
    vi.stubGlobal('fetch', (request: Request) => {
      const first = Number(new URL(request.url).searchParams.get('first') ?? 0);
      asked.push(first);
      return Promise.resolve(new Response(JSON.stringify(scan(all.slice(first, here), { running })), { headers: { 'content-type': 'application/json' } }));
    });
    window.fetch = globalThis.fetch;
    const bench = new Scanning();
    await bench.refresh();
    here = 30;
    await bench.refresh();
    expect(bench.scan?.faces.map((f) => f.number)).toEqual(all.map((f) => f.number));
    running = false;
    await bench.refresh();
    expect(bench.scan?.faces.length).toBe(30);
    expect(asked).toEqual([0, 12, 22, 0]);
  });

  it('of a batch that is gone are told in words, and of one that was left not at all', async () => {
    const gone = vi.spyOn(api, 'lastScan').mockRejectedValue(new Refused(404, 'not_found', 'There is no batch 1.'));
    vi.spyOn(api, 'scanners').mockResolvedValue([]);
    vi.spyOn(api, 'scanPresets').mockResolvedValue([]);
    const bench = new Scanning();
    await bench.open(1);
    notices.list = [];
    desk.onScan(1);
    await vi.waitFor(() => expect(notices.list.map((n) => n.text)).toEqual(['There is no batch 1.']));
    bench.leave();
    const asked = gone.mock.calls.length;
    desk.onScan(1);
    expect(gone.mock.calls.length).toBe(asked);
  });
});
