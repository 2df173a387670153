import {
  api, Refused,
  type About, type Batch, type BatchSummary, type Document, type OpenDoubt, type Operation, type Page, type Region, type Word,
} from '../api/client';
import { isStage, type StageId } from './stages';

export interface Notice { id: number; text: string; kind: 'done' | 'refused' }

/** Everything the screens share: where the clerk is, what is loaded, what is selected. */
class Bench {
  about = $state<About | null>(null);
  batches = $state<BatchSummary[] | null>(null);
  batch = $state<Batch | null>(null);
  document = $state<Document | null>(null);
  page = $state<Page | null>(null);
  doubts = $state<OpenDoubt[]>([]);
  stage = $state<StageId>('bring_in');
  pageIndex = $state(0);
  region = $state<string | null>(null);
  word = $state<string | null>(null);
  lifted = $state(false);
  notices = $state<Notice[]>([]);
  online = $state(true);
  saving = $state(false);
  /** Pages picked in the ribbon or on the contact sheet, by id. */
  picked = $state<number[]>([]);
  contact = $state(false);

  private noticeId = 0;
  private refreshTimer: ReturnType<typeof setTimeout> | null = null;
  private stalePages = new Set<number>();
  private queue: Promise<unknown> = Promise.resolve();

  selectedRegion = $derived(this.findRegion(this.region));
  pageDoubts = $derived(this.page?.doubts ?? []);

  async start(): Promise<void> {
    window.addEventListener('hashchange', () => void this.follow());
    this.listen();
    await this.attempt(async () => {
      this.about = await api.about();
    });
    await this.follow();
  }

  // Where we are, kept in the address so that a reload and the back key work

  private async follow(): Promise<void> {
    const [kind, id, stage, page] = location.hash.replace(/^#\/?/, '').split('/');
    await this.attempt(async () => {
      if (kind === 'document' && id) {
        await this.openDocument(Number(id), stage && isStage(stage) ? stage : 'proof', Math.max(0, Number(page ?? 1) - 1));
      } else if (kind === 'batch' && id) {
        this.leaveDocument();
        this.stage = stage === 'deliver' ? 'deliver' : 'bring_in';
        await this.openBatch(Number(id));
      } else {
        this.leaveDocument();
        this.batch = null;
        this.batches = await api.batches();
      }
    });
  }

  goHome(): void {
    location.hash = '#/';
  }

  goBatch(id: number, stage: 'bring_in' | 'deliver' = 'bring_in'): void {
    location.hash = `#/batch/${id}/${stage}`;
  }

  goDocument(id: number, stage: StageId = 'proof', page = 0): void {
    location.hash = `#/document/${id}/${stage}/${page + 1}`;
  }

  goStage(stage: StageId): void {
    const batch = this.batch ?? null;
    if (stage === 'bring_in' || stage === 'deliver') {
      const id = this.document?.batch_id ?? batch?.id;
      if (id) this.goBatch(id, stage);
    } else if (this.document) {
      this.goDocument(this.document.id, stage, this.pageIndex);
    } else if (batch?.documents.length) {
      const worst = batch.documents.find((d) => (d.doubts[stage] ?? 0) > 0) ?? batch.documents[0];
      if (worst) this.goDocument(worst.id, stage, 0);
    }
  }

  goPage(index: number): void {
    if (!this.document) return;
    const last = this.document.pages.length - 1;
    const page = Math.min(Math.max(0, index), last);
    if (page !== this.pageIndex) this.goDocument(this.document.id, this.stage, page);
  }

  private leaveDocument(): void {
    this.document = null;
    this.picked = [];
    this.contact = false;
    this.page = null;
    this.doubts = [];
    this.unselect();
  }

  private async openBatch(id: number): Promise<void> {
    this.batch = await api.batch(id);
  }

  private opening = 0;

  private async openDocument(id: number, stage: StageId, page: number): Promise<void> {
    const fresh = this.document?.id !== id;
    const mine = ++this.opening;
    if (fresh) {
      this.page = null;
      this.picked = [];
      this.contact = false;
      this.unselect();
      const found = await api.document(id);
      if (mine !== this.opening) return; // another was opened meanwhile
      this.document = found;
      if (this.batch?.id !== this.document.batch_id) this.batch = await api.batch(this.document.batch_id);
    }
    if (fresh || stage !== this.stage) {
      this.stage = stage;
      await this.loadDoubts();
      if (mine !== this.opening) return;
    }
    await this.loadPage(page);
    document.title = `${this.document?.title ?? ''} – Hyalen`;
  }

  private async loadPage(index: number): Promise<void> {
    const summary = this.document?.pages[index];
    if (!summary) return;
    this.pageIndex = index;
    if (this.page?.id === summary.id && !this.stalePages.has(summary.id) && this.page.revision === summary.revision) return;
    if (this.page?.id !== summary.id) this.unselect();
    const page = await api.page(summary.id);
    this.stalePages.delete(summary.id);
    if (this.pageIndex === index) this.page = page;
  }

  async loadDoubts(): Promise<void> {
    const id = this.document?.id;
    if (id === undefined) return;
    const found = await api.doubts(id);
    if (this.document?.id === id) this.doubts = found;
  }

  // Selection: one for the sheet and the script

  private findRegion(id: string | null): Region | null {
    const content = this.page?.content;
    if (!content || !id) return null;
    return [...(content.regions ?? []), ...(content.artifacts ?? [])].find((r) => r.id === id) ?? null;
  }

  findWord(id: string | null): { region: Region; line: number; word: Word } | null {
    const content = this.page?.content;
    if (!content || !id) return null;
    for (const region of [...(content.regions ?? []), ...(content.artifacts ?? [])]) {
      const lines = linesOf(region);
      for (let line = 0; line < lines.length; line++) {
        const word = lines[line]?.words.find((w) => w.id === id);
        if (word) return { region, line, word };
      }
    }
    return null;
  }

  select(region: string | null, word: string | null = null, lift = false): void {
    this.region = region;
    this.word = word;
    this.lifted = lift && word !== null;
  }

  unselect(): void {
    this.select(null);
  }

  // Picking pages

  private pickedFrom = 0;

  /** A click on a page: alone, to and fro with Ctrl, a run with Shift. */
  pick(index: number, how: { shift: boolean; ctrl: boolean }): void {
    const pages = this.document?.pages ?? [];
    const page = pages[index];
    if (!page) return;
    if (how.shift) {
      const [from, to] = [Math.min(this.pickedFrom, index), Math.max(this.pickedFrom, index)];
      const run = pages.slice(from, to + 1).map((p) => p.id);
      this.picked = how.ctrl ? [...new Set([...this.picked, ...run])] : run;
      return;
    }
    this.pickedFrom = index;
    if (how.ctrl) this.picked = this.picked.includes(page.id) ? this.picked.filter((p) => p !== page.id) : [...this.picked, page.id];
    else this.picked = [page.id];
  }

  /** The picked pages in their order, or the one in hand. */
  get chosen(): number[] {
    const pages = this.document?.pages ?? [];
    const picked = pages.filter((p) => this.picked.includes(p.id)).map((p) => p.id);
    return picked.length ? picked : this.page ? [this.page.id] : [];
  }

  /**
   * The document after its pages were rearranged; the page in hand stays in hand if it is still there.
   * `pick` is picked with the change itself: set any later, it would undo what the clerk picks meanwhile.
   */
  async rearranged(change: () => Promise<Document>, pick?: number[]): Promise<boolean> {
    try {
      this.document = await change();
    } catch (error) {
      this.report(error);
      await this.refresh();
      return false;
    }
    const pages = this.document.pages;
    this.picked = (pick ?? this.picked).filter((id) => pages.some((p) => p.id === id));
    const at = pages.findIndex((p) => p.id === this.page?.id);
    this.stalePages.add(this.page?.id ?? -1);
    this.goDocument(this.document.id, this.stage, at >= 0 ? at : Math.min(this.pageIndex, pages.length - 1));
    await this.attempt(() => this.loadPage(Math.min(at >= 0 ? at : this.pageIndex, pages.length - 1)));
    await this.loadDoubts();
    return true;
  }

  // Doubts

  /** The doubts that stepping goes through: this stage's if it has any, else all. */
  get walk(): OpenDoubt[] {
    const own = this.doubts.filter((d) => d.stage === this.stage);
    return own.length ? own : this.doubts;
  }

  get currentDoubt(): number {
    const page = this.page?.id;
    return this.walk.findIndex(
      (d) => d.page_id === page && (d.word_id ? d.word_id === this.word : d.region_id !== null && d.region_id === this.region),
    );
  }

  async goDoubt(doubt: OpenDoubt): Promise<void> {
    if (!this.document) return;
    await this.attempt(async () => {
      if (doubt.position !== this.pageIndex) {
        history.pushState(null, '', `#/document/${this.document?.id}/${this.stage}/${doubt.position + 1}`);
        await this.loadPage(doubt.position);
      }
      this.select(doubt.region_id ?? null, doubt.word_id ?? null, doubt.word_id !== null);
    });
  }

  async step(by: 1 | -1): Promise<void> {
    const walk = this.walk;
    if (!walk.length) {
      this.lifted = false;
      return;
    }
    const at = this.currentDoubt;
    const next = at < 0 ? (by > 0 ? 0 : walk.length - 1) : (at + by + walk.length) % walk.length;
    const doubt = walk[next];
    if (doubt) await this.goDoubt(doubt);
  }

  /** After a doubt is settled, the one that took its place in the list. */
  async settleThenNext(action: () => Promise<boolean>): Promise<void> {
    const at = Math.max(0, this.currentDoubt);
    const { region, word } = this;
    if (!(await action())) return;
    // Whoever went elsewhere while the change was saved stays there.
    if (this.region !== null && (this.region !== region || this.word !== word)) return;
    const walk = this.walk;
    const next = walk[Math.min(at, walk.length - 1)];
    if (next) await this.goDoubt(next);
    else this.lifted = false;
  }

  // Changes

  /**
   * Make a change, on the page in hand unless told which; changes are sent one after the other.
   * Ids of regions and words repeat from page to page, so what was typed on a page names it.
   */
  async edit(operation: Operation, label: string, everywhere = false, pageId = this.page?.id): Promise<boolean> {
    if (pageId === undefined) return false;
    const task = this.queue.then(() => this.send(pageId, operation, label, everywhere));
    this.queue = task;
    return task;
  }

  private async send(pageId: number, operation: Operation, label: string, everywhere: boolean): Promise<boolean> {
    this.saving = true;
    try {
      const page = this.page?.id === pageId ? this.page : await api.page(pageId);
      const told = await api.edit(pageId, page.revision, operation, label, everywhere);
      if (everywhere && told.changed > 1) this.notify(`${told.changed} words corrected`);
      await this.refreshPage(pageId);
      return true;
    } catch (error) {
      this.report(error);
      if (error instanceof Refused && error.status === 409) await this.attempt(() => this.refreshPage(pageId));
      return false;
    } finally {
      this.saving = false;
    }
  }

  private async refreshPage(pageId: number): Promise<void> {
    if (!this.document) return;
    const [page, fresh, doubts] = await Promise.all([
      api.page(pageId), api.document(this.document.id), api.doubts(this.document.id),
    ]);
    if (this.document.id !== fresh.id) return;
    this.document = fresh;
    this.doubts = doubts;
    if (this.document.pages[this.pageIndex]?.id === pageId) this.page = page;
    if (this.region && !this.findRegion(this.region)) this.unselect();
  }

  async turnBack(which: 'undo' | 'redo'): Promise<void> {
    if (!this.document) return;
    const id = this.document.id;
    await this.attempt(async () => {
      const told = which === 'undo' ? await api.undo(id) : await api.redo(id);
      if (told.page_id === null || told.position === null) return;
      this.notify(`${which === 'undo' ? 'Undone' : 'Done again'}: ${told.label}`);
      this.stalePages.add(told.page_id);
      if (told.position !== this.pageIndex) this.goDocument(id, this.stage, told.position);
      await this.refreshPage(told.page_id);
    });
  }

  // Progress from the server

  private listen(): void {
    const source = new EventSource('/api/events');
    source.onerror = () => (this.online = false);
    source.addEventListener('hello', () => {
      if (!this.online) void this.refresh();
      this.online = true;
    });
    for (const kind of ['task', 'document', 'batch']) {
      source.addEventListener(kind, (message) => this.heard(JSON.parse(message.data)));
    }
  }

  private heard(event: { batch_id: number; document_id: number | null; page_id: number | null; state: string }): void {
    const mine = event.batch_id === this.batch?.id || event.document_id === this.document?.id;
    if (!mine && (this.batch || this.document)) return;
    if (event.page_id !== null && event.state !== 'running') this.stalePages.add(event.page_id);
    // Many events come while a batch runs: one refresh serves them all.
    this.refreshTimer ??= setTimeout(() => {
      this.refreshTimer = null;
      void this.refresh();
    }, 350);
  }

  async refresh(): Promise<void> {
    await this.attempt(async () => {
      if (this.batch) this.batch = await api.batch(this.batch.id);
      else this.batches = await api.batches();
      if (this.document) {
        const fresh = await api.document(this.document.id);
        if (this.document.id !== fresh.id) return;
        this.document = fresh;
        await this.loadDoubts();
        await this.loadPage(this.pageIndex);
      }
    });
  }

  // Telling the clerk

  notify(text: string, kind: Notice['kind'] = 'done'): void {
    const id = ++this.noticeId;
    this.notices = [...this.notices.slice(-2), { id, text, kind }];
    setTimeout(() => this.dismiss(id), kind === 'done' ? 3500 : 9000);
  }

  dismiss(id: number): void {
    this.notices = this.notices.filter((n) => n.id !== id);
  }

  report(error: unknown): void {
    if (error instanceof Refused) {
      if (error.status === 404) this.goHome();
      this.notify(error.message, 'refused');
    } else {
      this.notify(String(error), 'refused');
      throw error;
    }
  }

  async attempt(action: () => Promise<void>): Promise<void> {
    try {
      await action();
    } catch (error) {
      this.report(error);
    }
  }

  languageName(code: string | null | undefined): string {
    if (!code) return '';
    if (code === 'auto') return 'found automatically';
    return this.about?.languages.find((l) => l.code === code)?.name ?? code;
  }

  /** The BCP 47 tag that HTML wants. */
  languageTag(code: string | null | undefined): string | undefined {
    return this.about?.languages.find((l) => l.code === code)?.tag;
  }

  rightToLeft(code: string | null | undefined): boolean {
    return this.about?.languages.find((l) => l.code === code)?.right_to_left ?? false;
  }
}

export function linesOf(region: Region) {
  return region.table ? region.table.cells.flatMap((cell) => cell.lines ?? []) : (region.lines ?? []);
}

export function boxOf(region: Region): [number, number, number, number] {
  const xs = region.outline.map((p) => p[0] as number);
  const ys = region.outline.map((p) => p[1] as number);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

export const textOf = (region: Region) => linesOf(region).map((line) => line.words.map((w) => w.text).join(' ')).join('\n');

export const bench = new Bench();
