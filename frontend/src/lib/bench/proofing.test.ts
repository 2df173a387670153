import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api, Refused, type Batch, type Changed, type Document, type Found, type FoundPlace, type Left, type OpenDoubt, type Page, type Word } from '../api/client';
import { Ahead } from './ahead.svelte';
import { desk } from './desk.svelte';
import { doubts } from './doubts.svelte';
import { Edits } from './edits.svelte';
import { Finding } from './finding.svelte';
import { notices } from './notices.svelte';
import { Proof } from './proof.svelte';
import { selection } from './selection.svelte';
import { inTurn } from './turns';
import { view } from './view.svelte';

// Nothing is painted here.
vi.mock('./later', async (load) => ({ ...(await load<typeof import('./later')>()), painted: () => Promise.resolve(), afterPaint: (action: () => void) => (action(), () => undefined) }));

const word = (id: string, text: string): Word => ({ id, text, box: [0, 0, 9, 9], confidence: 0.5, state: 'read' }) as unknown as Word;
const page = (id: number, revision = 1): Page => {
  const words = [word('w1', 'tbe'), word('w2', 'ligbt'), word('w3', 'burns')];
  const region = { id: 'r1', kind: 'text', role: 'paragraph', outline: [[0, 0], [9, 0], [9, 9], [0, 9]], lines: [{ words, box: [0, 0, 9, 9], height: 9 }] };
  return { id, document_id: 7, position: id - 1, revision, cleaned: null, content: { width: 99, height: 99, dpi: 300, regions: [region], artifacts: [] }, doubts: [] } as unknown as Page;
};
const doubt = (page_id: number, id: string, weight: number): OpenDoubt =>
  ({ page_id, position: page_id - 1, key: `proof:word:${id}`, weight, stage: 'proof', kind: 'word', reason: '', region_id: 'r1', word_id: id, text: id, mend: null, pages: [] }) as OpenDoubt;
const changed = (revision: number): Changed => ({ label: 'x', words: 1, document: { id: 7, revision, doubts: {}, undo: { id: 5, label: 'x' }, redo: null }, pages: [], doubts: [], page: null, arranged: false }) as unknown as Changed;
const said = () => {
  const lines = desk.page?.content?.regions?.[0]?.lines ?? [];
  return lines.flatMap((l) => l.words.map((w) => w.text)).join(' ');
};

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useRealTimers();
  desk.leaveDocument();
  desk.batch = { id: 1, documents: [] } as unknown as Batch;
  desk.document = { id: 7, batch_id: 1, title: 't', doubts: {}, revision: 0, undo: null, redo: null, removed: [], pages: [1, 2].map((id) => ({ id, position: id - 1, revision: 1 })) } as unknown as Document;
  desk.page = page(1);
  desk.pageIndex = 0;
  view.stage = 'proof';
  notices.list = [];
  doubts.list = [doubt(1, 'w1', 0.9), doubt(1, 'w2', 0.8), doubt(2, 'w1', 0.7)];
  vi.spyOn(api, 'page').mockImplementation(async (id: number) => page(id));
  vi.spyOn(api, 'wordHelp').mockResolvedValue({ suggestions: ['the'], kin: 4 });
});

describe('settling a word', () => {
  it('shows it settled and takes the next doubt in hand before the server answers', async () => {
    let answer: (told: Changed) => void = () => undefined;
    vi.spyOn(api, 'edit').mockImplementation(() => new Promise((done) => (answer = done)));
    const edits = new Edits();
    await edits.step(1);
    await edits.settleWord(1, word('w1', 'tbe'), 'the');
    expect([said(), selection.word, edits.unsent]).toEqual(['the ligbt burns', 'w2', true]);
    expect(doubts.list.map((d) => d.key)).toEqual(['proof:word:w2', 'proof:word:w1']);
    answer(changed(1));
    await vi.waitFor(() => expect(edits.unsent).toBe(false));
  });
  it('waits for a server that does not answer, and sends what was typed when it is back', async () => {
    vi.useFakeTimers();
    const send = vi.spyOn(api, 'edit').mockRejectedValueOnce(new Refused(0, 'No answer', 'x')).mockRejectedValueOnce(new Refused(0, 'No answer', 'x')).mockResolvedValue(changed(1));
    const edits = new Edits();
    void edits.settleWord(1, word('w1', 'tbe'), 'the');
    await vi.advanceTimersByTimeAsync(1000);
    expect([edits.unsent, notices.list.length, said()]).toEqual([true, 1, 'the ligbt burns']);
    await vi.advanceTimersByTimeAsync(10_000);
    expect([edits.unsent, send.mock.calls.length]).toEqual([false, 3]);
    expect(send.mock.calls[2]).toEqual([1, 1, { op: 'set_word', word_id: 'w1', text: 'the' }, false]);
  });
  it('makes the change on the newer page where another word was changed there', async () => {
    const send = vi.spyOn(api, 'edit').mockRejectedValueOnce(new Refused(409, 'x', 'changed')).mockResolvedValue(changed(9));
    vi.spyOn(api, 'page').mockResolvedValue(page(1, 8));
    const edits = new Edits();
    await edits.settleWord(1, word('w1', 'tbe'), 'the');
    await vi.waitFor(() => expect(edits.unsent).toBe(false));
    expect(send.mock.calls[1]?.[1]).toBe(8);
    expect(notices.list).toEqual([]);
  });
  it('tells both versions where the same word was changed, and keeps theirs', async () => {
    vi.spyOn(api, 'edit').mockRejectedValue(new Refused(409, 'x', 'changed'));
    const theirs = page(1, 8);
    (theirs.content!.regions![0]!.lines![0]!.words as Word[])[0] = { ...word('w1', 'tho'), state: 'corrected' };
    vi.spyOn(api, 'page').mockResolvedValue(theirs);
    const reload = vi.spyOn(desk, 'reload').mockResolvedValue();
    const edits = new Edits();
    await edits.settleWord(1, word('w1', 'tbe'), 'the');
    await vi.waitFor(() => expect(edits.unsent).toBe(false));
    expect(reload).toHaveBeenCalled();
    expect(notices.list).toEqual([]); // both stand side by side; nothing need be said twice
    expect(edits.clashes.map((c) => [c.read, c.theirs, c.mine])).toEqual([['tbe', 'tho', 'the']]);
    // Either may be chosen then, on the page as it is now.
    const send = vi.spyOn(api, 'edit').mockResolvedValue(changed(9));
    await edits.choose(true);
    expect(send.mock.calls.at(-1)?.slice(2, 3)).toEqual([{ op: 'set_word', word_id: 'w1', text: 'the' }]);
    expect(edits.clashes).toEqual([]);
  });
  it('is no clash where both wrote the same', async () => {
    const send = vi.spyOn(api, 'edit').mockRejectedValueOnce(new Refused(409, 'x', 'changed')).mockResolvedValue(changed(9));
    const theirs = page(1, 8);
    (theirs.content!.regions![0]!.lines![0]!.words as Word[])[0] = { ...word('w1', 'the'), state: 'corrected' };
    vi.spyOn(api, 'page').mockResolvedValue(theirs);
    const edits = new Edits();
    await edits.settleWord(1, word('w1', 'tbe'), 'the');
    await vi.waitFor(() => expect(edits.unsent).toBe(false));
    expect([send.mock.calls.length, edits.clashes, notices.list]).toEqual([2, [], []]);
  });
  it('keeps keys for the doubt that is on its way, and knows the kin of a correction', async () => {
    vi.spyOn(api, 'edit').mockResolvedValue(changed(1));
    let arrive: () => void = () => undefined;
    vi.spyOn(view, 'goPage').mockImplementation(() => new Promise((done) => (arrive = () => done())));
    const edits = new Edits();
    const seen: string[] = [];
    const listen = (event: Event) => seen.push((event as KeyboardEvent).key);
    document.addEventListener('keydown', listen);
    const moving = edits.settleWord(1, word('w1', 'tbe,'), 'the,');
    await Promise.resolve();
    expect(edits.hold(new KeyboardEvent('keydown', { key: 'Enter', code: 'Enter' }))).toBe(true);
    expect(edits.hold(new KeyboardEvent('keydown', { key: 'Shift' }))).toBe(false);
    // What is copied, pasted or cut is the browser's; struck out is ours.
    for (const [code, shiftKey, held] of [['KeyC', false, false], ['KeyX', false, false], ['KeyX', true, true]] as const)
      expect(edits.hold(new KeyboardEvent('keydown', { key: code.at(-1), code, ctrlKey: true, shiftKey }))).toBe(held);
    expect(seen).toEqual([]);
    arrive();
    await moving;
    expect(seen).toEqual(['Enter', 'X']);
    expect(edits.hold(new KeyboardEvent('keydown', { key: 'Enter' }))).toBe(false);
    document.removeEventListener('keydown', listen);
  });
});

describe('what is fetched ahead', () => {
  it('is asked for once, kept by its revision, and forgotten when there is too much', async () => {
    const ahead = new Ahead();
    const wanted = [doubt(1, 'w1', 0.9), doubt(1, 'w2', 0.8), doubt(2, 'w1', 0.7)];
    ahead.fetch(wanted, () => 1);
    ahead.fetch(wanted, () => 1);
    await vi.waitFor(() => expect(ahead.helpFor(2, 'w1', 'w1')?.suggestions).toEqual(['the']));
    expect(vi.mocked(api.page).mock.calls.map(([id]) => id)).toEqual([1, 2]);
    expect(api.wordHelp).toHaveBeenCalledTimes(3);
    expect([ahead.page(1, 1)?.id, ahead.page(1, 2)]).toEqual([1, null]);
    for (let id = 10; id < 30; id++) ahead.keep(page(id));
    expect([ahead.page(1, 1), ahead.page(29, 1)?.id]).toEqual([null, 29]);
  });
  it('waits for what is being saved, but for the doubt that comes next', async () => {
    const ahead = new Ahead();
    let saved: () => void = () => undefined;
    const saving = inTurn(() => new Promise<void>((done) => (saved = done)));
    await Promise.resolve();
    ahead.fetch([doubt(1, 'w1', 0.9), doubt(2, 'w1', 0.7)], () => 1);
    await vi.waitFor(() => expect(ahead.page(1, 1)?.id).toBe(1));
    expect(vi.mocked(api.page).mock.calls.map(([id]) => id)).toEqual([1]);
    saved();
    await saving;
    await vi.waitFor(() => expect(ahead.page(2, 1)?.id).toBe(2));
  });
  it('does without where the server does not answer', async () => {
    vi.spyOn(api, 'wordHelp').mockRejectedValueOnce(new Refused(0, 'x', 'x'));
    const ahead = new Ahead();
    ahead.fetch([doubt(1, 'w1', 0.9)], () => 1);
    await new Promise((done) => setTimeout(done, 5));
    expect(ahead.helpFor(1, 'w1', 'w1')).toBeUndefined();
    ahead.fetch([doubt(1, 'w1', 0.9)], () => 1);
    await vi.waitFor(() => expect(ahead.helpFor(1, 'w1', 'w1')?.kin).toBe(4));
  });
});

describe('how good the text is', () => {
  it('is asked for at once of a document that is come to, then when changes have settled', async () => {
    vi.useFakeTimers();
    const left = vi.spyOn(api, 'left').mockResolvedValue({ words: 9, expected: 1 } as Left);
    const proof = new Proof();
    proof.ask();
    await vi.advanceTimersByTimeAsync(1);
    expect([left.mock.calls.length, proof.leftOf(desk.document?.id)?.expected, proof.leftOf(99)]).toEqual([1, 1, null]);
    for (let change = 0; change < 3; change++) {
      proof.ask();
      await vi.advanceTimersByTimeAsync(100);
    }
    expect(left).toHaveBeenCalledTimes(1);
    await vi.advanceTimersByTimeAsync(400);
    expect(left).toHaveBeenCalledTimes(2);
    vi.useRealTimers();
  });
});

describe('finding', () => {
  const hit = (at: number, pageId = 1): FoundPlace =>
    ({ passage: at, start: 0, document: 7, document_name: 't', page: pageId, position: pageId - 1, region: 'r1', words: ['w1'], boxes: [[0, 0, 9, 9]], before: '', found: 'tbe', after: '', image: null, size: null }) as FoundPlace;
  const found = (hits: FoundPlace[], total = hits.length): Found => ({ total, pages: [...new Set(hits.map((h) => h.page))], hits });

  it('goes round the places, and turns to their pages', async () => {
    vi.spyOn(api, 'search').mockResolvedValue(found([hit(1), hit(2, 2)]));
    const finding = new Finding();
    finding.text = 'tbe';
    await finding.look();
    await finding.step(1);
    await finding.step(1);
    expect([finding.at, desk.pageIndex, selection.word]).toEqual([1, 1, 'w1']);
    await finding.step(1);
    expect([finding.at, desk.pageIndex]).toEqual([0, 0]);
    await finding.step(-1);
    expect(finding.at).toBe(1);
  });
  it('replaces page by page as one change, and leaves what is not ticked', async () => {
    vi.spyOn(api, 'search').mockResolvedValue(found([hit(1), hit(2), hit(3, 2)]));
    const send = vi.spyOn(api, 'replace').mockResolvedValue(changed(1));
    const finding = new Finding();
    Object.assign(finding, { text: 'tbe', by: 'the' });
    await finding.look();
    await finding.replace();
    expect(send.mock.lastCall?.slice(3)).toEqual([[1, 2], null, null, false]);
    await finding.look();
    finding.toggle(finding.hits[1]!);
    await finding.replace();
    expect(send.mock.lastCall?.[4]).toEqual([{ passage: 1, start: 0 }, { passage: 3, start: 0 }]);
    await finding.look();
    await finding.replace(finding.hits[2]);
    expect(send.mock.lastCall?.slice(3, 5)).toEqual([[2], [{ passage: 3, start: 0 }]]);
  });
  it('sends many pages in portions that are one change', async () => {
    const pages = Array.from({ length: 20 }, (_, i) => i + 1);
    desk.document = { ...desk.document!, pages: pages.map((id) => ({ id, position: id - 1, revision: 1 })) } as unknown as Document;
    vi.spyOn(api, 'search').mockResolvedValue(found(pages.map((id) => hit(id, id))));
    const send = vi.spyOn(api, 'replace').mockResolvedValue(changed(1));
    const finding = new Finding();
    Object.assign(finding, { text: 'tbe', by: 'the' });
    await finding.look();
    await finding.replace();
    expect(send.mock.calls.map((call) => [call[3].length, call[5]])).toEqual([[8, null], [8, 5], [4, 5]]);
  });
  it('says why nothing could be looked for', async () => {
    vi.spyOn(api, 'search').mockRejectedValue(new Refused(422, 'Not found', 'the pattern cannot be used'));
    const finding = new Finding();
    Object.assign(finding, { text: '(', way: 'pattern' });
    await finding.look();
    expect([finding.refused, finding.total]).toEqual(['the pattern cannot be used', 0]);
    finding.text = ' ';
    await finding.look();
    expect([finding.refused, finding.asked]).toEqual(['', false]);
  });
});
