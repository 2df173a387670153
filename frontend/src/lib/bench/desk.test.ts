import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api, Refused, type Batch, type Changed, type Document, type OpenDoubt, type Page, type PageSummary } from '../api/client';
import { boxOf, findRegion, findWord, linesOf, textOf } from './content';
import { Desk, desk } from './desk.svelte';
import { doubts } from './doubts.svelte';
import { edits } from './edits.svelte';
import { typing, remember, remembered } from './keys';
import { Notices, notices } from './notices.svelte';
import { look, ROLES } from './roles';
import { selection } from './selection.svelte';
import { STAGES } from './stages';
import { view } from './view.svelte';

const summary = (id: number): PageSummary => ({ id, position: id - 1, revision: 1 }) as PageSummary;
const page = (id: number): Page => ({ id, document_id: 7, position: id - 1, revision: 1, content: null, doubts: [] }) as unknown as Page;
const doubt = (page_id: number, word: string, weight: number): OpenDoubt =>
  ({ page_id, position: page_id - 1, key: word, weight, stage: 'proof', kind: 'word', reason: '', region_id: 'r1', word_id: word, text: word }) as OpenDoubt;
const paper = (ids: number[]): Document =>
  ({ id: 7, batch_id: 1, title: 't', doubts: {}, revision: 0, undo: null, redo: null, removed: [], pages: ids.map((id, i) => ({ ...summary(id), position: i })) }) as unknown as Document;

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useRealTimers();
  desk.leaveDocument();
  desk.batch = { id: 1, documents: [] } as unknown as Batch;
  desk.document = paper([1, 2, 3, 4]);
  desk.page = page(1);
  desk.pageIndex = 0;
  view.stage = 'proof';
  notices.list = [];
  vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id));
  vi.spyOn(api, 'wordHelp').mockResolvedValue({ suggestions: [], kin: 0 });
});

describe('the walk through the doubts', () => {
  beforeEach(() => {
    doubts.list = [doubt(1, 'w1', 0.9), doubt(3, 'w2', 0.8), doubt(1, 'w3', 0.7)];
  });
  it('goes to the next, over pages, and round', async () => {
    await edits.step(1);
    expect([selection.word, selection.lifted, desk.pageIndex]).toEqual(['w1', true, 0]);
    await edits.step(1);
    expect([selection.word, desk.pageIndex]).toEqual(['w2', 2]);
    await edits.step(1);
    await edits.step(1);
    expect([selection.word, desk.pageIndex]).toEqual(['w1', 0]);
    await edits.step(-1);
    expect(selection.word).toBe('w3');
  });
  it('waits for doubts that are still on their way', async () => {
    let arrive: (found: OpenDoubt[]) => void = () => undefined;
    vi.spyOn(api, 'doubts').mockImplementation(() => new Promise((done) => (arrive = done)));
    const own = doubts.list;
    doubts.clear();
    const loading = doubts.load(7), stepping = edits.step(1);
    arrive(own);
    await Promise.all([loading, stepping]);
    expect([selection.word, selection.lifted]).toEqual(['w1', true]);
    vi.spyOn(api, 'doubts').mockRejectedValue(new Refused(0, 'x', 'x'));
    doubts.clear();
    void doubts.load(7).catch(() => undefined);
    await edits.step(1);
    expect(selection.lifted).toBe(false);
  });
  it('goes on with what took the place of the settled one', async () => {
    await edits.step(1);
    await edits.settleThenNext(async () => {
      doubts.list = doubts.list.slice(1);
      return true;
    });
    expect([selection.word, desk.pageIndex]).toEqual(['w2', 2]);
  });
  it('stays where the change was refused', async () => {
    await edits.step(1);
    await edits.settleThenNext(async () => false);
    expect(selection.word).toBe('w1');
  });
  it('leaves whoever went elsewhere meanwhile there', async () => {
    await edits.step(1);
    await edits.settleThenNext(async () => {
      selection.select('r9', 'w9');
      return true;
    });
    expect(selection.word).toBe('w9');
  });
  it('puts the line down after the last', async () => {
    doubts.list = [doubt(1, 'w1', 0.9)];
    await edits.step(1);
    await edits.settleThenNext(async () => {
      doubts.list = [];
      return true;
    });
    expect(selection.lifted).toBe(false);
    await edits.step(1);
    expect(selection.lifted).toBe(false);
  });
});

describe('the desk', () => {
  it('keeps the page in hand when pages are rearranged, and what is picked', async () => {
    await view.goPage(2);
    selection.picked = [2, 3];
    vi.spyOn(desk, 'refresh').mockResolvedValue();
    expect(await view.rearranged(async () => paper([3, 4, 1]))).toBe(true);
    expect([desk.pageIndex, desk.page?.id, selection.picked]).toEqual([0, 3, [3]]);
    expect(location.hash).toBe('#/document/7/proof/1');
    expect(await view.rearranged(async () => paper([1, 3]), [1])).toBe(true);
    expect(selection.picked).toEqual([1]);
    // What is picked while the answer is on its way stays.
    const late = async () => {
      selection.picked = [1, 3];
      return paper([1, 3]);
    };
    expect(await view.rearranged(late, [3])).toBe(true);
    expect(selection.picked).toEqual([1, 3]);
  });
  it('shows the pages as they are where a rearrangement was refused', async () => {
    const fresh = vi.spyOn(desk, 'refresh').mockResolvedValue();
    expect(await view.rearranged(async () => { throw new Refused(409, 'x', 'changed meanwhile'); })).toBe(false);
    expect(fresh).toHaveBeenCalledOnce();
    expect(notices.list[0]?.text).toBe('changed meanwhile');
  });
  it('opens a document at a page with its batch, page and doubts asked for at once', async () => {
    desk.leaveDocument();
    desk.batch = null;
    const asked: string[] = [];
    let arrive: (found: Batch) => void = () => undefined;
    vi.mocked(api.page).mockClear();
    vi.spyOn(api, 'document').mockImplementation(async () => paper([1, 2, 3]));
    vi.spyOn(api, 'doubts').mockImplementation(async () => (asked.push('doubts'), []));
    vi.spyOn(api, 'batch').mockImplementation(() => (asked.push('batch'), new Promise<Batch>((done) => (arrive = done))));
    const opening = view.goDocument(7, 'proof', 1);
    await vi.waitFor(() => expect(asked).toEqual(['doubts', 'batch']));
    await vi.waitFor(() => expect(api.page).toHaveBeenCalledWith(2));
    expect(desk.document).toBeNull();
    arrive({ id: 1, documents: [] } as unknown as Batch);
    await opening;
    expect([desk.document, desk.batch, desk.page].map((each: { id: number } | null) => each?.id)).toEqual([7, 1, 2]);
    expect(vi.mocked(api.page).mock.calls.filter(([id]) => id === 2)).toHaveLength(1);
  });
  it('opens a document whose page is refused all the same, and says so', async () => {
    desk.leaveDocument();
    vi.spyOn(api, 'document').mockImplementation(async () => paper([1, 2, 3]));
    vi.spyOn(api, 'doubts').mockResolvedValue([]);
    vi.mocked(api.page).mockRejectedValue(new Refused(500, 'x', 'The page cannot be shown.'));
    await view.goDocument(7, 'proof', 9);
    expect([desk.document?.id, desk.pageIndex, notices.list.length]).toEqual([7, 2, 1]);
  });
  it('refreshes once for many events, and not for those of others', async () => {
    vi.useFakeTimers();
    const own = new Desk();
    own.batch = { id: 1 } as unknown as Batch;
    const refresh = vi.spyOn(own, 'refresh').mockResolvedValue();
    own.heard({ batch_id: 2, document_id: 9, page_id: 5, state: 'done' });
    await vi.advanceTimersByTimeAsync(1000);
    expect(refresh).not.toHaveBeenCalled();
    for (let n = 0; n < 50; n++) own.heard({ batch_id: 1, document_id: 7, page_id: n, state: 'done' });
    await vi.advanceTimersByTimeAsync(1000);
    expect(refresh).toHaveBeenCalledOnce();
  });
  it('loads a page again that has changed elsewhere, and else asks for nothing', async () => {
    vi.spyOn(api, 'batch').mockResolvedValue(desk.batch as Batch);
    vi.spyOn(api, 'document').mockResolvedValue(paper([1, 2, 3, 4]));
    vi.spyOn(api, 'doubts').mockResolvedValue([]);
    await desk.refresh();
    expect(api.page).not.toHaveBeenCalled();
    desk.heard({ batch_id: 1, document_id: 7, page_id: 1, state: 'done' });
    await desk.refresh();
    expect(api.page).toHaveBeenCalledOnce();
  });
  it('keeps a change that was told while all was asked for, and asks again', async () => {
    vi.useFakeTimers();
    const own = new Desk();
    Object.assign(own, { batch: desk.batch, document: desk.document });
    const one = (page: number, key: string) => doubt(page, key, 1);
    let answerDocument!: (found: Document) => void, answerDoubts!: (found: OpenDoubt[]) => void;
    vi.spyOn(api, 'batch').mockResolvedValue(desk.batch as Batch);
    const asked = vi.spyOn(api, 'document').mockImplementationOnce(() => new Promise((done) => (answerDocument = done)));
    vi.spyOn(api, 'doubts').mockImplementation(() => new Promise((done) => (answerDoubts = done)));
    const refreshing = own.refresh();
    await vi.advanceTimersByTimeAsync(0);
    const undone = { id: 3, label: 'heading 2' };
    own.apply({ document: { id: 7, redo: undone }, pages: [], page: null, doubts: [] } as unknown as Changed);
    answerDocument(paper([1, 2, 3, 4]));
    await refreshing;
    expect(own.document?.redo).toEqual(undone);

    asked.mockResolvedValue({ ...paper([1, 2, 3, 4]), redo: undone } as Document);
    await vi.advanceTimersByTimeAsync(1000);
    expect(asked).toHaveBeenCalledTimes(2);
    doubts.replace([2], [one(2, 'left')]);
    answerDoubts([one(1, 'other'), one(2, 'settled')]);
    await vi.advanceTimersByTimeAsync(0);
    expect(doubts.list.map((d) => d.key)).toEqual(['other', 'left']);
  });
  it('does not take up again a batch that was left while it was asked for', async () => {
    const own = new Desk();
    own.batch = { id: 1 } as unknown as Batch;
    let answer!: (found: Batch) => void;
    vi.spyOn(api, 'batch').mockImplementation(() => new Promise((done) => (answer = done)));
    vi.spyOn(api, 'batches').mockResolvedValue([]);
    const refreshing = own.refresh();
    await own.openTrolley();
    answer({ id: 1 } as unknown as Batch);
    await refreshing;
    expect(own.batch).toBeNull();
  });
  it('goes home where what it shows is gone', async () => {
    const home = vi.spyOn(view, 'goHome').mockResolvedValue();
    notices.onGone = () => void view.goHome();
    vi.spyOn(api, 'batch').mockRejectedValue(new Refused(404, 'Not found', 'There is no batch 1.'));
    await desk.refresh();
    expect(home).toHaveBeenCalledOnce();
  });
});

describe('going about', () => {
  it('enters a stage at the document with doubts of that stage', async () => {
    desk.leaveDocument();
    desk.batch = { id: 1, documents: [{ id: 5, doubts: {} }, { id: 6, doubts: { tag: 2 } }] } as unknown as Batch;
    const go = vi.spyOn(view, 'goDocument').mockResolvedValue();
    await view.goStage('tag');
    expect(go).toHaveBeenLastCalledWith(6, 'tag');
    await view.goStage('proof');
    expect(go).toHaveBeenLastCalledWith(5, 'proof');
  });
  it('selects the block that was asked for once its page is there', async () => {
    vi.spyOn(api, 'doubts').mockResolvedValue([]);
    await view.goBlock('tag', 3, 'r4');
    expect([desk.page?.id, view.stage, selection.region]).toEqual([4, 'tag', 'r4']);
  });
});

describe('contents', () => {
  const word = (id: string, text: string) => ({ id, text, box: [0, 0, 9, 9], confidence: 1 });
  const line = (...words: object[]) => ({ words, box: [0, 0, 9, 9], baseline: [[0, 9], [9, 9]], height: 9 });
  const text = { id: 'r1', outline: [[3, 4], [30, 4], [30, 40]], lines: [line(word('w1', 'two'), word('w2', 'words')), line(word('w3', 'below'))] };
  const table = { id: 'r2', outline: [], table: { cells: [{ lines: [line(word('w4', 'cell'))] }, { lines: undefined }] } };
  const content = { regions: [text], artifacts: [table] } as never;

  it('have lines, boxes and text, tables too', () => {
    expect(textOf(text as never)).toBe('two words\nbelow');
    expect(boxOf(text as never)).toEqual([3, 4, 30, 40]);
    expect(linesOf(table as never)).toHaveLength(1);
  });
  it('are searched by id, artifacts included', () => {
    expect(findWord(content, 'w3')).toMatchObject({ line: 1, word: { text: 'below' }, region: { id: 'r1' } });
    expect(findWord(content, 'w4')?.region.id).toBe('r2');
    expect([findWord(content, 'w9'), findWord(null, 'w1'), findRegion(content, null), findRegion(content, 'r9')]).toEqual([null, null, null, null]);
    expect(findRegion(content, 'r2')?.id).toBe('r2');
  });
});

describe('keys', () => {
  const press = (target: HTMLElement, key: string) => {
    let told: boolean | null = null;
    document.body.append(target);
    target.addEventListener('keydown', (event) => (told = typing(event)));
    target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    target.remove();
    return told;
  };
  const field = (type: string) => Object.assign(document.createElement('input'), { type });
  it('belong to fields that are typed in, and to open dialogs', () => {
    expect([press(field('text'), 'a'), press(document.createElement('textarea'), ']'), press(document.createElement('select'), 'x')]).toEqual([true, true, true]);
    const dialog = document.createElement('dialog');
    expect(press(dialog, 'c')).toBe(true);
    expect(press(document.createElement('button'), 'c')).toBe(false);
  });
  it('of a switch are its own only where they move it', () => {
    expect([press(field('radio'), 'ArrowDown'), press(field('range'), 'Home'), press(field('checkbox'), 'c')]).toEqual([true, true, false]);
  });
  it('are remembered choices kept between visits', () => {
    expect(remembered('nothing', 'else')).toBe('else');
    remember('seam', '0.25');
    expect(remembered('seam', '0.5')).toBe('0.25');
  });
});

describe('looks', () => {
  it('are told apart by sign, key and edge without colour', () => {
    const keys = ROLES.map((r) => r.key).filter(Boolean);
    expect(new Set(keys).size).toBe(keys.length);
    expect(new Set(ROLES.map((r) => r.sign)).size).toBe(ROLES.length);
    expect(look('heading_3').sign).toBe('H3');
  });
  it('name every stage once', () => {
    expect(new Set(STAGES.map((s) => s.id)).size).toBe(7);

  });
});

describe('notices', () => {
  it('go by themselves, refusals later', async () => {
    vi.useFakeTimers();
    const told = new Notices();
    told.notify('saved');
    told.notify('refused', 'refused');
    await vi.advanceTimersByTimeAsync(4000);
    expect(told.list.map((n) => n.text)).toEqual(['refused']);
    await vi.advanceTimersByTimeAsync(6000);
    expect(told.list).toEqual([]);
  });
  it('never pile up', () => {
    const told = new Notices();
    for (let n = 0; n < 9; n++) told.notify(`${n}`);
    expect(told.list.map((n) => n.text)).toEqual(['6', '7', '8']);
  });
  it('are not made of requests that were dropped, and hide no fault of our own', async () => {
    const told = new Notices();
    await told.attempt(async () => { throw new DOMException('', 'AbortError'); });
    expect(told.list).toEqual([]);
    await expect(told.attempt(async () => { throw new TypeError('ours'); })).rejects.toThrow('ours');
  });
});
