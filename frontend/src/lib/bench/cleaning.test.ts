import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api, type Document, type Page, type Preview, type Treatment } from '../api/client';
import { cleaning } from './cleaning.svelte';
import { desk } from './desk.svelte';
import { hand } from './hand.svelte';
import { notices } from './notices.svelte';

const own = { lighten: { switch: 'automatic', strength: 1 }, patches: [] } as unknown as Treatment;
const page = (id: number, cleaned = 'a'): Page =>
  ({ id, treatment: own, cleaned, original: 'o', findings: [{ step: 'turn', says: 'kept', confidence: 1 }], applied: { turn: 90 } }) as unknown as Page;
const shown = (says: string): Preview =>
  ({ image: `data:${says}`, width: 10, height: 20, dpi: 110, findings: [{ step: 'lighten', says, confidence: 0.9 }], applied: { turn: 0 } }) as unknown as Preview;
const pale = (strength: number) => ({ lighten: { switch: 'by_hand', strength } }) as Partial<Treatment>;
const strength = () => (cleaning.treatment?.lighten as { strength: number } | undefined)?.strength;

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useFakeTimers();
  notices.list = [];
  hand.handles = 'none';
  hand.tool = 'none';
  hand.seam = false;
  cleaning.take(page(99));
  desk.page = page(1);
  cleaning.take(desk.page);
});

describe('a treatment that is tried', () => {
  it('is shown after the last of many changes, once', async () => {
    const preview = vi.spyOn(api, 'preview').mockResolvedValue(shown('pale'));
    for (const s of [0.1, 0.2, 0.3]) cleaning.change(pale(s), 'strength');
    await vi.advanceTimersByTimeAsync(100);
    expect(preview).toHaveBeenCalledOnce();
    expect(preview.mock.calls[0]?.[1]).toMatchObject(pale(0.3));
    expect([cleaning.preview?.image, cleaning.changed, cleaning.working]).toEqual(['data:pale', true, false]);
  });
  it('keeps what the steps that were not tried again had found', async () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('tried'));
    cleaning.change(pale(0.5));
    await vi.advanceTimersByTimeAsync(100);
    expect(cleaning.findings.map((f) => f.says)).toEqual(['tried', 'kept']);
    expect(cleaning.applied?.turn).toBe(0);
  });
  it('is taken back step by step, a drag being one', () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('x'));
    cleaning.change(pale(0.9));
    for (const s of [0.5, 0.4, 0.3]) cleaning.change(pale(s), 'drag');
    cleaning.release();
    cleaning.change(pale(0.2), 'drag');
    expect(strength()).toBe(0.2);
    cleaning.undo();
    expect(strength()).toBe(0.3);
    cleaning.undo();
    expect(strength()).toBe(0.9);
    cleaning.undo();
    expect([strength(), cleaning.changed, cleaning.canUndo]).toEqual([1, false, false]);
    cleaning.undo();
    expect(strength()).toBe(1);
  });
  it('does not follow to another page', () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('x'));
    cleaning.change(pale(0.4));
    desk.page = page(2);
    expect(cleaning.take(desk.page)).toBe(true);
    expect([cleaning.changed, cleaning.preview]).toEqual([false, null]);
    expect(cleaning.take(desk.page)).toBe(false);
  });
  it('that fails is told, unless a later one was asked for', async () => {
    const fail = vi.spyOn(api, 'preview').mockImplementation(
      (_, __, ___, signal) => new Promise((___done, reject) => {
        signal?.addEventListener('abort', () => reject(new DOMException('', 'AbortError')));
      }),
    );
    cleaning.change(pale(0.4));
    await vi.advanceTimersByTimeAsync(100);
    fail.mockResolvedValue(shown('later'));
    cleaning.change(pale(0.6));
    await vi.advanceTimersByTimeAsync(100);
    expect(cleaning.preview?.image).toBe('data:later');
    expect(notices.list).toEqual([]);
  });
});

describe('applying', () => {
  it('sends the treatment, says how many pages and keeps it in sight until the page has come', async () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('tried'));
    const treat = vi.spyOn(api, 'treat').mockResolvedValue({ tasks: 3, revision: 5 });
    vi.spyOn(desk, 'refresh').mockResolvedValue();
    cleaning.change(pale(0.4));
    await vi.advanceTimersByTimeAsync(100);
    desk.document = { id: 7, revision: 4, pages: [] } as unknown as Document;
    await cleaning.apply('document');
    expect(treat.mock.calls[0]?.slice(0, 4)).toMatchObject([1, 4, pale(0.4), 'document']);
    expect(desk.document?.revision).toBe(5);
    expect([cleaning.changed, cleaning.preview?.image]).toEqual([false, 'data:tried']);
    expect(notices.list.at(-1)?.text).toBe('3 pages are cleaned again');
    desk.page = page(1, 'b');
    cleaning.take(desk.page);
    expect(cleaning.preview).toBeNull();
  });
  it('adds what was drawn to the treatment', async () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('x'));
    const patch = { erase: true, outline: [[0, 0], [1, 0], [1, 1]] } as never;
    const drawn = vi.spyOn(api, 'patches').mockResolvedValue({ patches: [patch, patch] });
    await cleaning.addPatches([[0.1, 0.1]], true, true);
    expect(cleaning.treatment?.patches).toHaveLength(2);
    expect(notices.list.at(-1)?.text).toContain('2 marks erased');
    drawn.mockResolvedValue({ patches: [] });
    await cleaning.addPatches([[0.1, 0.1]], true);
    expect(notices.list.at(-1)?.kind).toBe('refused');
  });
});

describe('handles', () => {
  it('ask for the frame that they lie on', async () => {
    const preview = vi.spyOn(api, 'preview').mockResolvedValue(shown('frame'));
    for (const [handles, view] of [['outline', 'upright'], ['fold', 'spread'], ['cut', 'sheet'], ['grid', 'sheet']] as const) {
      cleaning.open(handles);
      await vi.advanceTimersByTimeAsync(100);
      expect(preview.mock.lastCall?.[2]).toBe(view);
    }
    cleaning.open('grid');
    await vi.advanceTimersByTimeAsync(100);
    expect([hand.handles, cleaning.preview]).toEqual(['none', null]);
  });
  it('go when a tool is taken', async () => {
    vi.spyOn(api, 'preview').mockResolvedValue(shown('frame'));
    cleaning.open('cut');
    await vi.advanceTimersByTimeAsync(100);
    cleaning.use('mark');
    await vi.advanceTimersByTimeAsync(100);
    expect([hand.handles, hand.tool, cleaning.preview]).toEqual(['none', 'mark', null]);
  });
  it('leave the seam its other side', async () => {
    const preview = vi.spyOn(api, 'preview').mockImplementation(async (_, __, view) => shown(view));
    cleaning.compare(true);
    await vi.advanceTimersByTimeAsync(100);
    expect(preview.mock.lastCall?.[2]).toBe('before');
    expect(cleaning.before?.image).toBe('data:before');
  });
});
