import { api, type Batch, type BatchSummary, type Changed, type Document, type Line, type Page, type Region } from '../api/client';
import { ahead } from './ahead.svelte';
import { doubts } from './doubts.svelte';
import { later } from './later';
import { findRegion, linesOf } from './content';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';
import { inTurn } from './turns';

const TOGETHER = 350; // milliseconds: many events come while a batch runs, and one refresh serves them all
const RESTED = 1000; // milliseconds: who is quicker is on the way to another page, and needs the server for that

/** What the server tells of a change; no document where it is one of a whole batch. */
export type Heard = { batch_id: number; document_id: number | null; page_id: number | null; state: string };

/** What lies on the desk: the batch, document and page in hand as the server last told them. */
export class Desk {
  // Replaced as a whole, never changed within: what the server tells needs no proxies.
  batches = $state.raw<BatchSummary[] | null>(null);
  batch = $state.raw<Batch | null>(null);
  document = $state.raw<Document | null>(null);
  page = $state.raw<Page | null>(null);
  /** Set at once when the page is turned; the page itself follows when it can. */
  pageIndex = $state(0);
  online = $state(true);
  /** Whether work rests because the server's disk is full. */
  full = $state(false);

  /** Called when sheets have come from a scanner. */
  onScan: (batch: number) => void = () => undefined;
  /** Called when work on a bundle has begun or ended. */
  onBundle: (bundle: number) => void = () => undefined;
  /** Called when a page, a document or a batch has changed, whichever is in hand. */
  onChange: (event: Heard) => void = () => undefined;

  private stale = new Set<number>();
  /** Once the clerk rests on a page, the next and the one before are fetched, with their pictures. */
  private fetchBeside = later(RESTED, () => {
    for (const at of [this.pageIndex + 1, this.pageIndex - 1]) {
      const beside = this.pages[at];
      if (beside && !this.stale.has(beside.id) && !ahead.page(beside.id, beside.revision)) void ahead.fetchPage(beside.id);
    }
  });
  private pending: AbortController | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private opening = 0;

  get pages() {
    return this.document?.pages ?? [];
  }

  async openTrolley(): Promise<void> {
    this.leaveDocument();
    this.batch = null;
    this.batches = await api.batches();
  }

  async openBatch(id: number): Promise<void> {
    this.leaveDocument();
    this.batch = await api.batch(id);
  }

  /** A document, and the page of it that will be turned to first; false where another document was asked for meanwhile. */
  async openDocument(id: number, index = 0): Promise<boolean> {
    if (this.document?.id === id) {
      this.opening++;
      return true;
    }
    this.leaveDocument();
    const mine = this.opening;
    const found = await api.document(id);
    if (mine !== this.opening) return false;
    void notices.attempt(() => doubts.load(id));
    const page = found.pages[Math.min(index, found.pages.length - 1)];
    const [batch] = await Promise.all([this.batch?.id === found.batch_id ? this.batch : api.batch(found.batch_id), page && ahead.fetchPage(page.id)]);
    if (mine !== this.opening) return false;
    this.document = found;
    this.batch = batch;
    return true;
  }

  leaveDocument(): void {
    this.opening++;
    this.pending?.abort();
    this.document = null;
    this.page = null;
    doubts.clear();
    ahead.clear();
    selection.picked = [];
    selection.clear();
  }

  /** Turn to a page. Every call counts at once; of several pages asked for in a row the last is loaded. */
  async showPage(index: number): Promise<void> {
    const last = this.pages.length - 1;
    this.pageIndex = Math.min(Math.max(0, index), Math.max(0, last));
    const summary = this.pages[this.pageIndex];
    if (!summary) return;
    this.fetchBeside();
    if (this.page?.id === summary.id && !this.stale.has(summary.id) && this.page.revision === summary.revision) {
      this.pending?.abort();
      return;
    }
    if (this.page?.id !== summary.id) selection.clear();
    this.pending?.abort();
    const here = this.stale.has(summary.id) ? null : ahead.page(summary.id, summary.revision);
    if (here) {
      this.page = here;
      return;
    }
    const pending = (this.pending = new AbortController());
    try {
      const page = await api.page(summary.id, pending.signal);
      this.stale.delete(summary.id);
      ahead.keep(page);
      const older = this.page?.id === page.id && page.revision < this.page.revision;
      if (!pending.signal.aborted && !older) this.page = page;
    } catch (error) {
      if (!pending.signal.aborted) throw error;
    }
  }

  /** Ask for everything that is shown. */
  async refresh(): Promise<void> {
    await notices.attempt(async () => {
      const batch = this.batch;
      if (batch) {
        const fresh = await api.batch(batch.id);
        if (this.batch?.id === batch.id) this.batch = fresh;
      } else this.batches = await api.batches();
      const known = this.document;
      if (!known) return;
      const fresh = await api.document(known.id);
      if (this.document?.id !== known.id) return;
      // What was asked for before a change tells an older state.
      if (this.document !== known) return this.refreshSoon();
      this.take(fresh);
      await Promise.all([doubts.load(known.id), this.showPage(this.pageIndex)]);
    });
  }

  /** Change the document's settings on the revision that is known; the answer tells the next. */
  change<T extends { revision?: number | null }>(send: (id: number, revision: number) => Promise<T>): Promise<T> {
    return inTurn(async () => {
      const document = this.document;
      if (!document) throw new Error('There is no document in hand.');
      const told = await send(document.id, document.revision);
      if (this.document?.id === document.id && typeof told.revision === 'number') this.document = { ...this.document, revision: told.revision };
      return told;
    });
  }

  /** The document as it is now; the page that was turned to last stays in hand if it is still there. */
  take(fresh: Document): void {
    const wanted = this.pages[this.pageIndex]?.id;
    const at = fresh.pages.findIndex((p) => p.id === wanted);
    this.document = fresh;
    if (at >= 0) this.pageIndex = at;
    selection.picked = selection.picked.filter((id) => fresh.pages.some((p) => p.id === id));
  }

  /** Put in what a change has changed; nothing need be asked for again. */
  apply(changed: Changed): void {
    if (this.document?.id !== changed.document.id) return;
    const fresh = new Map(changed.pages.map((p) => [p.id, p]));
    this.document = { ...this.document, ...changed.document, pages: this.document.pages.map((p) => fresh.get(p.id) ?? p) };
    const ids = [...fresh.keys()];
    doubts.replace(ids, changed.doubts);
    const text = changed.page;
    for (const id of ids) if (id !== text?.id) this.stale.add(id);
    const inHand = this.page?.id === text?.id;
    const before = text && (inHand ? this.page : ahead.latest(text.id));
    if (text && before) {
      const own = changed.doubts.filter((d) => d.page_id === text.id);
      const page = { ...before, revision: text.revision, content: text.content, unknown: text.unknown, captioned: text.captioned, settled: text.settled, doubts: own };
      ahead.keep(page); // the walk may have gone on, and come back to it
      if (inHand) this.page = page;
    }
    if (text && inHand) {
      if (selection.region && !findRegion(text.content, selection.region)) selection.clear();
    } else if (this.page && fresh.has(this.page.id)) {
      void notices.attempt(() => this.showPage(this.pageIndex));
    }
  }

  /** Show a word as settled before the server has kept it. */
  settle(pageId: number, wordId: string, text: string | null): void {
    if (this.page?.id !== pageId || !this.page.content) return;
    const change = (lines: Line[]) =>
      lines.map((line) => (line.words.some((w) => w.id === wordId) ? { ...line, words: line.words.map((w) => (w.id === wordId ? { ...w, text: text ?? w.text, state: text === null ? ('accepted' as const) : ('corrected' as const) } : w)) } : line));
    const within = (region: Region): Region => {
      if (!linesOf(region).some((line) => line.words.some((w) => w.id === wordId))) return region;
      if (!region.table) return { ...region, lines: change(region.lines ?? []) };
      return { ...region, table: { ...region.table, cells: region.table.cells.map((c) => ({ ...c, lines: change(c.lines ?? []) })) } };
    };
    const content = this.page.content;
    this.page = {
      ...this.page,
      doubts: this.page.doubts.filter((d) => d.word_id !== wordId),
      content: { ...content, regions: (content.regions ?? []).map(within), artifacts: (content.artifacts ?? []).map(within) },
    };
  }

  /** Load the page in hand once more, whatever is known of it. */
  async reload(): Promise<void> {
    if (this.page) this.stale.add(this.page.id);
    await this.refresh();
  }

  listen(): void {
    const source = new EventSource('/api/events');
    source.onerror = () => (this.online = false);
    source.addEventListener('hello', (message) => {
      if (!this.online) void this.refresh();
      this.online = true;
      this.full = JSON.parse(message.data).lacks_space === true;
    });
    source.addEventListener('scan', (message) => this.onScan(JSON.parse(message.data).batch_id));
    source.addEventListener('bundle', (message) => this.onBundle(JSON.parse(message.data).bundle_id));
    source.addEventListener('space', (message) => (this.full = JSON.parse(message.data).state === 'none'));
    for (const kind of ['task', 'document', 'batch']) source.addEventListener(kind, (message) => this.heard(JSON.parse(message.data)));
  }

  heard(event: Heard): void {
    this.onChange(event);
    const mine = event.batch_id === this.batch?.id || event.document_id === this.document?.id;
    if (!mine && (this.batch || this.document)) return;
    if (event.page_id !== null && event.state !== 'running') this.stale.add(event.page_id);
    this.refreshSoon();
  }

  private refreshSoon(): void {
    this.timer ??= setTimeout(() => {
      this.timer = null;
      void this.refresh();
    }, TOGETHER);
  }
}

export const desk = new Desk();
