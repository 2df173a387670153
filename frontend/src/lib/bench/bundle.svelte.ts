import { api, type Box, type Bundle, type BundleEntry, type BundleHits, type BundleMark, type BundleSheet, type MarkKind, type Page } from '../api/client';
import { desk } from './desk.svelte';
import { later } from './later';
import { notices } from './notices.svelte';
import { reach, within } from './running';
import { inTurn } from './turns';

export type Side = 'shelf' | 'sheet' | 'marks' | 'rules' | 'deliver';
export const COLOURS: [string, string][] = [['ffd54a', 'straw'], ['8fd3a6', 'reed'], ['8ec5ef', 'ice'], ['f2a48b', 'brick'], ['c9b3ec', 'heather']];
const LOOKING = 1000; // milliseconds between two looks at how far a file is
const FOLLOWING = 1000; // milliseconds after a change of a document

/** The bundle in hand: its entries, its sheets, the one that is shown. */
export class BundleDesk {
  told = $state.raw<Bundle | null>(null);
  sheets = $state.raw<BundleSheet[]>([]);
  side = $state<Side>('shelf');
  /** Entries that are picked, and the one that has the keys. */
  picked = $state.raw<number[]>([]);
  cursor = $state<number | null>(null);
  /** The place of the sheet that is shown. */
  at = $state(0);
  page = $state.raw<Page | null>(null);
  marks = $state.raw<BundleMark[]>([]);
  hits = $state.raw<BundleHits | null>(null);
  sought = $state('');
  /** What is put in lies behind this page of a document. */
  late = $state<{ page: number; label: string; entry: number } | null>(null);
  private asked = 0;
  private timer: ReturnType<typeof setInterval> | null = null;

  get id(): number {
    return this.told?.id ?? 0;
  }

  get entries(): BundleEntry[] {
    return this.told?.entries ?? [];
  }

  get entry(): BundleEntry | null {
    return this.entries.find((e) => e.id === this.cursor) ?? null;
  }

  async open(id: number): Promise<void> {
    this.close();
    desk.onBundle = (which) => {
      if (which === this.id) void this.reload();
    };
    desk.onChange = (event) => {
      const mine = !this.told || event.document_id === null || this.entries.some((e) => e.document === event.document_id);
      if (mine && event.state !== 'running') this.follow();
    };
    await notices.attempt(async () => {
      const told = await api.bundle(id);
      this.side = told.entries.length ? 'sheet' : 'shelf';
      this.cursor = told.entries[0]?.id ?? null;
      document.title = `${told.name} – Hyalen`;
      await this.take(told);
    });
  }

  close(): void {
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
    desk.onBundle = () => undefined;
    desk.onChange = () => undefined;
    this.told = null;
    this.sheets = [];
    this.picked = [];
    this.cursor = null;
    this.at = 0;
    this.page = null;
    this.marks = [];
    this.hits = null;
    this.sought = '';
    this.late = null;
  }

  reload = () => notices.attempt(async () => {
    const fresh = await api.bundle(this.id);
    if (fresh.id === this.id) await this.take(fresh);
  });

  /** Documents change elsewhere, often many at a time. */
  private follow = later(FOLLOWING, () => { if (this.told) void this.reload(); });

  private async take(fresh: Bundle): Promise<void> {
    const before = this.told;
    if (before && before.id === fresh.id && fresh.revision < before.revision) return;
    const shown = this.sheets[this.at];
    this.told = fresh;
    const here = new Set(fresh.entries.map((e) => e.id));
    this.picked = this.picked.filter((p) => here.has(p));
    if (this.cursor !== null && !here.has(this.cursor)) this.cursor = fresh.entries[0]?.id ?? null;
    this.sheets = await api.bundleSheets(fresh.id);
    const same = shown ? this.sheets.findIndex((s) => s.entry === shown.entry && s.page === shown.page && s.kind === shown.kind) : -1;
    await this.show(same >= 0 ? same : Math.min(this.at, this.sheets.length - 1));
    this.look();
  }

  /** While something is made, ask how far it is. */
  private look(): void {
    const busy = this.told?.work?.state === 'running' || this.told?.work?.state === 'waiting';
    if (!busy) {
      if (this.timer) clearInterval(this.timer);
      this.timer = null;
      return;
    }
    this.timer ??= setInterval(() => {
      const id = this.id;
      api.bundleWork(id).then(
        (work) => {
          if (this.told?.id !== id) return;
          if (work && (work.state === 'running' || work.state === 'waiting')) this.told = { ...this.told, work };
          else void this.reload();
        },
        () => undefined,
      );
    }, LOOKING);
  }

  /** Change the bundle on the revision that is known; False where it was refused. */
  async change(send: (id: number, revision: number) => Promise<Bundle>): Promise<boolean> {
    try {
      await inTurn(async () => {
        if (this.told) await this.take(await send(this.told.id, this.told.revision));
      });
      return true;
    } catch (error) {
      notices.report(error);
      await this.reload();
      return false;
    }
  }

  putIn(documents: number[], behind: number | null = null): Promise<boolean> {
    const late = this.late;
    return this.change(async (id, revision) => {
      const known = new Set(this.entries.map((e) => e.id));
      const told = await api.putIntoBundle(id, { revision, documents, section: '', behind: late ? late.entry : behind, after_page: late?.page ?? null });
      const fresh = told.entries.filter((e) => !known.has(e.id));
      if (fresh.length) this.cursor = fresh[0]!.id;
      notices.notify(fresh.length ? `${fresh.length === 1 ? fresh[0]!.title : `${fresh.length} documents`} put in` : 'In the bundle already');
      this.late = null;
      return told;
    });
  }

  section(title: string): Promise<boolean> {
    return this.change(async (id, revision) => {
      const known = new Set(this.entries.map((e) => e.id)), at = this.entries.findIndex((e) => e.id === this.cursor);
      const behind = at < 0 ? null : (this.entries[at - 1]?.id ?? 0);
      const told = await api.putIntoBundle(id, { revision, documents: [], section: title, behind, after_page: null });
      this.cursor = told.entries.find((e) => !known.has(e.id))?.id ?? this.cursor;
      return told;
    });
  }

  takeOut(ids: number[]): Promise<boolean> {
    return this.change((id, revision) => api.takeOutOfBundle(id, revision, ids));
  }

  /** Move an entry with what lies within it before the one that stands at a place now. */
  move(entry: number, gap: number, depth?: number): Promise<boolean> {
    const moved = reach(this.entries, this.entries.findIndex((e) => e.id === entry));
    const order = within(this.entries, moved, gap, depth);
    return order ? this.change((id, revision) => api.orderBundle(id, revision, order)) : Promise.resolve(false);
  }

  step(entry: number, by: 1 | -1): Promise<boolean> {
    const at = this.entries.findIndex((e) => e.id === entry);
    const [first, end] = reach(this.entries, at);
    return this.move(entry, by < 0 ? first - 1 : end + 2);
  }

  deepen(entry: number, by: 1 | -1): Promise<boolean> {
    const at = this.entries.findIndex((e) => e.id === entry);
    const own = this.entries[at];
    if (!own || own.depth + by < 0) return Promise.resolve(false);
    return this.move(entry, at, own.depth + by);
  }

  turn(way: 'undo' | 'redo'): Promise<boolean> {
    if (!this.told?.[way]) return Promise.resolve(false);
    return this.change((id) => api.turnBundle(id, way));
  }

  /** Show a sheet, and the marks on it. */
  async show(at: number): Promise<void> {
    this.at = Math.max(0, Math.min(at, this.sheets.length - 1));
    const mine = ++this.asked;
    const sheet = this.sheets[this.at];
    if (!sheet?.page) {
      this.page = null;
      this.marks = [];
      return;
    }
    const [page, marks] = await Promise.all([this.page?.id === sheet.page ? this.page : api.page(sheet.page), api.marksOfPage(this.id, sheet.page)]);
    if (mine !== this.asked) return;
    this.page = page;
    this.marks = marks;
  }

  go = (at: number) => notices.attempt(() => this.show(at));

  /** Show an entry's first sheet. */
  goEntry(entry: BundleEntry): void {
    this.cursor = entry.id;
    if (entry.sheet >= 0) void this.go(entry.sheet);
  }

  mark(kind: MarkKind, boxes: Box[], colour: string, name: string, text: string): Promise<void> {
    const page = this.page;
    if (!page) return Promise.resolve();
    return notices.attempt(async () => {
      await api.makeMark(this.id, { page: page.id, kind, boxes, colour, name, text });
      await this.reload();
    });
  }

  takeMarks(ids: number[]): Promise<void> {
    return notices.attempt(async () => {
      await api.takeMarks(this.id, ids);
      await this.reload();
    });
  }

  /** Ask what to look for. */
  find(): void {
    this.side = 'marks';
    requestAnimationFrame(() => document.getElementById('bundle-sought')?.focus());
  }

  seek(text: string): Promise<void> {
    return notices.attempt(async () => {
      this.sought = text;
      this.hits = text.trim() ? await api.searchBundle(this.id, text, 0) : null;
    });
  }
}

export const bundle = new BundleDesk();
