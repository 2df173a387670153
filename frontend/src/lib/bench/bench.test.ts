import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Changed, Document, OpenDoubt, Page, PageSummary } from '../api/client';
import { api, Refused } from '../api/client';
import { About } from './about.svelte';
import { format, parse, type Place } from './address';
import { desk } from './desk.svelte';
import { Doubts, doubts } from './doubts.svelte';
import { edits } from './edits.svelte';
import { Hand } from './hand.svelte';
import { history } from './history.svelte';
import { notices } from './notices.svelte';
import { Selection, selection } from './selection.svelte';
import { sized } from './sizes';
import { view } from './view.svelte';

const summary = (id: number, revision = 1): PageSummary =>
  ({ id, position: id - 1, revision, half: 'whole', has_content: true, doubts: 0 }) as PageSummary;
const page = (id: number, revision = 1): Page =>
  ({ id, document_id: 7, position: id - 1, revision, content: { regions: [{ id: 'r1', outline: [], lines: [] }], artifacts: [] }, doubts: [], settled: 0 }) as unknown as Page;
const doubt = (page_id: number, key: string, weight: number, stage = 'proof'): OpenDoubt =>
  ({ page_id, position: page_id - 1, key, weight, stage, kind: 'word', reason: '', region_id: null, word_id: key, text: key }) as OpenDoubt;
const head = { id: 7, revision: 0, doubts: {}, undo: { id: 3, label: 'heading 2' }, redo: null };
const paper = (count: number): Document =>
  ({ ...head, batch_id: 1, batch_name: 'b', name: 'n', title: 't', language: 'eng', languages: ['eng'], removed: [], duplex: false, labels: [], ranges: [], particulars: { author: '', subject: '', keywords: '', reference: '', rights: '', date: '' }, abbreviations: [],
    pages: Array.from({ length: count }, (_, i) => summary(i + 1)) }) as Document;
const changed = (more: Partial<Changed> = {}): Changed => ({
  label: 'heading 2', words: 0, arranged: false, document: { ...head, doubts: { proof: 1 }, undo: null, redo: { id: 3, label: 'heading 2' } },
  pages: [summary(2, 5)], doubts: [doubt(2, 'w9', 0.7)], page: { id: 2, revision: 5, content: page(2).content, settled: 1 }, ...more,
}) as Changed;

beforeEach(() => {
  vi.restoreAllMocks();
  desk.leaveDocument();
  desk.document = paper(30);
  desk.pageIndex = 0;
  desk.page = page(1);
  notices.list = [];
});

describe('the address', () => {
  it('leads back to the place that it was made of', () => {
    const places: Place[] = [
      { kind: 'trolley' }, { kind: 'batch', id: 4, stage: 'deliver' }, { kind: 'document', id: 12, stage: 'tag', page: 499 },
    ];
    for (const place of places) expect(parse(format(place))).toEqual(place);
  });
  it('bears nonsense', () => {
    expect(parse('#/document/x/y')).toEqual({ kind: 'trolley' });
    expect(parse('#/document/3/nonsense/-9')).toEqual({ kind: 'document', id: 3, stage: 'proof', page: 0 });
    expect(parse('#/batch/3')).toEqual({ kind: 'batch', id: 3, stage: 'bring_in' });
  });
});

describe('turning pages', () => {
  it('counts every press, and loads the last page only', async () => {
    const asked: number[] = [];
    vi.spyOn(api, 'page').mockImplementation((id: number, signal?: AbortSignal) => {
      asked.push(id);
      return new Promise((done, fail) => {
        signal?.addEventListener('abort', () => fail(new DOMException('', 'AbortError')));
        setTimeout(() => done(page(id)), 5);
      });
    });
    const turns = Array.from({ length: 20 }, () => view.turn(1));
    expect(desk.pageIndex).toBe(20);
    await Promise.all(turns);
    expect(desk.page?.id).toBe(21);
    expect(asked).toHaveLength(20);
    expect(notices.list).toEqual([]);
  });
  it('is not taken back by what comes from the server meanwhile', async () => {
    vi.spyOn(api, 'page').mockImplementation(() => new Promise(() => undefined));
    void view.goPage(12);
    desk.take(paper(30));
    expect(desk.pageIndex).toBe(12);
    const shuffled = paper(30);
    desk.take({ ...shuffled, pages: [...shuffled.pages].reverse() });
    expect(desk.pages[desk.pageIndex]?.id).toBe(13);
  });
  it('stops at both ends', async () => {
    vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id));
    await view.goPage(999);
    expect(desk.pageIndex).toBe(29);
    await view.goPage(-3);
    expect(desk.pageIndex).toBe(0);
  });
});

describe('opening', () => {
  it('of a document brings it, its batch, its page and its doubts', async () => {
    desk.leaveDocument();
    Object.assign(desk, { batch: null });
    vi.spyOn(api, 'document').mockImplementation(async (id) => ({ ...paper(3), id }));
    vi.spyOn(api, 'batch').mockResolvedValue({ id: 1, documents: [] } as never);
    vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id));
    vi.spyOn(api, 'doubts').mockResolvedValue([doubt(2, 'w1', 0.5)]);
    await view.goDocument(9, 'tag', 1);
    expect([desk.document?.id, desk.batch?.id, desk.page?.id, view.stage, location.hash]).toEqual([9, 1, 2, 'tag', '#/document/9/tag/2']);
    await vi.waitFor(() => expect(doubts.list).toHaveLength(1));
  });
  it('of another document meanwhile leaves the first one be', async () => {
    desk.leaveDocument();
    vi.spyOn(api, 'batch').mockResolvedValue({ id: 1, documents: [] } as never);
    vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id));
    vi.spyOn(api, 'doubts').mockResolvedValue([]);
    vi.spyOn(api, 'document').mockImplementation(async (id) => {
      await new Promise((on) => setTimeout(on, id === 8 ? 20 : 2));
      return { ...paper(3), id };
    });
    await Promise.all([view.goDocument(8), view.goDocument(9)]);
    expect(desk.document?.id).toBe(9);
  });
});

describe('an edit', () => {
  it('costs one request and puts in what it changed', async () => {
    desk.pageIndex = 1;
    desk.page = page(2);
    doubts.list = [doubt(2, 'w1', 0.9), doubt(3, 'w5', 0.8), doubt(2, 'w9', 0.7)];
    const sent = vi.spyOn(api, 'edit').mockResolvedValue(changed());
    const others = (['page', 'document', 'doubts', 'batch'] as const).map((name) => vi.spyOn(api, name));
    expect(await edits.edit({ op: 'accept_word', word_id: 'w1' })).toBe(true);
    expect(sent).toHaveBeenCalledExactlyOnceWith(2, 1, { op: 'accept_word', word_id: 'w1' }, false);
    for (const other of others) expect(other).not.toHaveBeenCalled();
    expect(desk.page?.revision).toBe(5);
    expect(desk.document?.pages[1]?.revision).toBe(5);
    expect(desk.document?.redo?.label).toBe('heading 2');
    expect(doubts.list.map((d) => d.key)).toEqual(['w5', 'w9']);
  });
  it('on a page that was left meanwhile goes to that page, at its revision', async () => {
    const sent = vi.spyOn(api, 'edit').mockResolvedValue(changed());
    await edits.edit({ op: 'accept_word', word_id: 'w1' }, false, 2);
    expect(sent.mock.calls[0]?.slice(0, 2)).toEqual([2, 1]);
    expect(desk.page?.id).toBe(1);
  });
  it('that is refused as stale is told, and the page is loaded anew', async () => {
    vi.spyOn(api, 'edit').mockRejectedValue(new Refused(409, 'Changed meanwhile', 'changed elsewhere'));
    const fresh = vi.spyOn(desk, 'reload').mockResolvedValue();
    expect(await edits.edit({ op: 'accept_word', word_id: 'w1' })).toBe(false);
    expect(fresh).toHaveBeenCalledOnce();
    expect(notices.list.map((n) => n.text)).toEqual(['changed elsewhere']);
  });
  it('is sent after the one before it', async () => {
    const order: string[] = [];
    vi.spyOn(api, 'edit').mockImplementation(async (_, __, operation) => {
      order.push(`begin ${operation.op}`);
      await new Promise((on) => setTimeout(on, 5));
      order.push(`end ${operation.op}`);
      return changed();
    });
    await Promise.all([edits.edit({ op: 'accept_word', word_id: 'a' }), edits.edit({ op: 'set_word', word_id: 'a', text: 'b' })]);
    expect(order).toEqual(['begin accept_word', 'end accept_word', 'begin set_word', 'end set_word']);
  });
});

describe('history', () => {
  it('undoes the change that it names, and goes to its page', async () => {
    vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id, 5));
    const undo = vi.spyOn(api, 'undo').mockResolvedValue(changed());
    await history.turn('undo');
    expect(undo).toHaveBeenCalledExactlyOnceWith(7, 3);
    expect([desk.pageIndex, desk.page?.id, history.undo, history.redo?.label]).toEqual([1, 2, null, 'heading 2']);
    expect(notices.list.at(-1)?.text).toBe('Undone: heading 2');
  });
  it('asks for the document where more than texts changed', async () => {
    vi.spyOn(api, 'undo').mockResolvedValue(changed({ arranged: true, pages: [], doubts: [], page: null }));
    const fresh = vi.spyOn(desk, 'reload').mockResolvedValue();
    await history.turn('undo');
    expect(fresh).toHaveBeenCalledOnce();
  });
});

describe('doubts', () => {
  it('are loaded however many they are', async () => {
    const all = Array.from({ length: 2345 }, (_, i) => doubt(1 + (i % 30), `w${i}`, 1 - i / 5000));
    vi.spyOn(api, 'doubts').mockImplementation(async (_, limit, last) => {
      const from = last ? all.findIndex((d) => d.key === last.key) + 1 : 0;
      return all.slice(from, from + limit);
    });
    const list = new Doubts();
    await list.load(7);
    expect(list.list).toHaveLength(2345);
    expect(list.list.at(-1)?.key).toBe('w2344');
  });
  it('of pages that changed are put in their places', () => {
    const list = new Doubts();
    list.list = [doubt(1, 'a', 0.9), doubt(2, 'b', 0.8), doubt(1, 'c', 0.4)];
    list.replace([1], [doubt(1, 'c', 0.4), doubt(1, 'd', 0.85)]);
    expect(list.list.map((d) => d.key)).toEqual(['d', 'b', 'c']);
    expect(list.walk('tag')).toHaveLength(3);
    list.list = [...list.list, doubt(3, 't', 0.1, 'tag')];
    expect(list.walk('tag').map((d) => d.key)).toEqual(['t']);
    expect(list.place(list.walk('proof'), 2, null, 'b')).toBe(1);
  });
});

describe('selection', () => {
  it('picks alone, to and fro, and in runs', () => {
    const s = new Selection();
    const pages = paper(6).pages;
    s.pick(pages, 1, { shift: false, ctrl: false });
    s.pick(pages, 3, { shift: true, ctrl: false });
    expect(s.picked).toEqual([2, 3, 4]);
    s.pick(pages, 2, { shift: false, ctrl: true });
    s.pick(pages, 5, { shift: false, ctrl: true });
    expect(s.chosen(pages, null)).toEqual([2, 4, 6]);
    s.picked = [];
    expect(s.chosen(pages, page(5))).toEqual([5]);
  });
  it('is dropped with what it was on', () => {
    desk.page = page(2);
    selection.select('r9', 'w1', true);
    desk.apply(changed());
    expect(selection.region).toBeNull();
  });
  it('lifts nothing without a word', () => {
    const s = new Selection();
    s.select('r1', null, true);
    expect(s.lifted).toBe(false);
  });
});

describe('the rest', () => {
  it('holds one tool or handles, never both', () => {
    const h = new Hand();
    h.use('mark');
    h.open('cut');
    expect([h.tool, h.handles]).toEqual(['none', 'cut']);
    h.use('area');
    expect([h.tool, h.handles]).toEqual(['area', 'none']);
    h.use('area');
    expect(h.tool).toBe('none');
  });
  it('takes its rules from the server', () => {
    const a = new About();
    expect(a.rolesFor('text')).toEqual([]);
    a.told = {
      version: '1', formats: [], stages: [], sure: 0.75, largest_file: 9, lacks_space: false, post: null, watches: false, languages: [{ code: 'ara', tag: 'ar', name: 'Arabic', right_to_left: true }],
      roles: [{ role: 'artifact', artifact: true, kinds: ['text', 'figure'] }, { role: 'caption', artifact: false, kinds: ['text'] }],
    };
    expect(a.rolesFor('text')).toEqual(['artifact', 'caption']);
    expect([a.isArtifact('artifact'), a.isArtifact('caption'), a.rightToLeft('ara'), a.languageTag('ara'), a.languageName('xyz')]).toEqual([true, false, true, 'ar', 'xyz']);
  });
  it('tells sizes as a clerk reads them', () => {
    expect([sized(10), sized(12_345), sized(6_400_000), sized(2.5e9)]).toEqual(['1 kB', '12 kB', '6.4 MB', '2.5 GB']);
  });
});
