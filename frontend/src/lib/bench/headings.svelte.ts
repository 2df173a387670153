import { api, type Bookmarked, type BookmarkEntry, type HeadingTold, type Role } from '../api/client';
import { desk } from './desk.svelte';
import { edits } from './edits.svelte';
import { notices } from './notices.svelte';
import { saying } from './saying.svelte';
import { inTurn } from './turns';
import { counted } from './words';

const PORTION = 40; // blocks a request

/** A document's headings with their ink, and its bookmarks: both looked at and changed together. */
export class Headings {
  open = $state(false);
  list = $state.raw<HeadingTold[]>([]);
  loading = $state(false);
  doing = $state<{ done: number; of: number } | null>(null);
  at = $state(0);
  /** Places in the list that a change is for, besides the one in hand. */
  also = $state.raw<ReadonlySet<number>>(new Set());
  marks = $state.raw<Bookmarked[]>([]);
  fromHeadings = $state(true);

  async show(): Promise<void> {
    this.open = true;
    this.at = 0;
    this.also = new Set();
    await this.load();
  }

  close(): void {
    this.open = false;
    this.list = [];
  }

  async load(): Promise<void> {
    const id = desk.document?.id;
    if (id === undefined) return;
    this.loading = true;
    await inTurn(() => notices.attempt(async () => {
      const [list, told] = await Promise.all([api.headings(id), api.bookmarks(id)]);
      if (desk.document?.id !== id) return;
      this.list = list;
      this.take(told);
      this.at = Math.min(this.at, Math.max(0, list.length - 1));
    }));
    this.loading = false;
  }

  get here(): HeadingTold | undefined {
    return this.list[this.at];
  }

  get chosen(): HeadingTold[] {
    return this.list.filter((_, i) => i === this.at || this.also.has(i));
  }

  go(at: number, extend = false): void {
    const to = Math.min(Math.max(0, at), Math.max(0, this.list.length - 1));
    if (extend) {
      const all = new Set(this.also).add(this.at);
      for (let i = Math.min(this.at, to); i <= Math.max(this.at, to); i++) all.add(i);
      this.also = all;
    } else this.also = new Set();
    this.at = to;
  }

  toggle(at: number): void {
    const all = new Set(this.also).add(this.at);
    if (all.has(at) && at !== this.at) all.delete(at);
    else all.add(at);
    this.also = all;
    if (all.has(at)) this.at = at;
  }

  /** All that are set as the one in hand is: they are seen before anything is done to them. */
  alike(): void {
    const look = this.here?.alike;
    const all = new Set<number>();
    this.list.forEach((h, i) => h.alike === look && all.add(i));
    this.also = all;
    saying.say(`${counted(all.size, 'heading')} set alike`);
  }

  /** What those in hand are from now on, as one change. */
  async make(role: Role, chosen = this.chosen): Promise<void> {
    const id = desk.document?.id;
    if (id === undefined || !chosen.length) return;
    const places = chosen.map((h) => ({ page: h.page_id, region: h.region_id }));
    await inTurn(() => notices.attempt(async () => {
      let change: number | null = null, made = 0;
      try {
        for (let at = 0; at < places.length; at += PORTION) {
          if (places.length > PORTION) this.doing = { done: at, of: places.length };
          const told = await api.setRoles(id, role, places.slice(at, at + PORTION), change);
          made += told.words;
          if (told.words) change = told.document.undo?.id ?? null;
          desk.apply(told);
        }
        const left = places.length - made;
        if (left > 0) notices.notify(`${counted(left, 'block')} had been changed elsewhere, and stayed as ${left === 1 ? 'it is' : 'they are'}.`, 'refused');
      } finally {
        this.doing = null;
      }
    }));
    const keep = this.also;
    await this.load();
    this.also = keep.size && [...keep].every((i) => i < this.list.length) && role.startsWith('heading') ? keep : new Set();
  }

  /** Each one level deeper or higher, those of one level together. */
  async shift(by: 1 | -1): Promise<void> {
    const chosen = this.chosen;
    const levels = [...new Set(chosen.map((h) => h.level))].sort((a, b) => (by > 0 ? b - a : a - b));
    for (const level of levels) {
      const to = Math.min(6, Math.max(1, level + by));
      if (to !== level) await this.make(`heading_${to}` as Role, chosen.filter((h) => h.level === level));
    }
  }

  /** Somebody has looked at all of them and found that they say what follows. */
  async sign(name: string): Promise<void> {
    const id = desk.document?.id;
    if (id === undefined) return;
    if (!name) return notices.notify('Say first who you are: a sign-off has a name.', 'refused');
    await notices.attempt(async () => {
      await api.signHeadings(id, name);
      notices.notify('The headings are signed off.');
    });
  }

  // Bookmarks

  private take(told: { from_headings: boolean; bookmarks: Bookmarked[] }): void {
    this.fromHeadings = told.from_headings;
    this.marks = told.bookmarks;
  }

  /** The bookmarks as they are to be; null for the headings alone. */
  async set(entries: BookmarkEntry[] | null): Promise<void> {
    // The history is known again before anything else is sent, undo above all.
    await inTurn(() => notices.attempt(async () => {
      const document = desk.document;
      if (!document) return;
      this.take(await api.setBookmarks(document.id, document.revision, entries));
      await desk.refresh();
    }));
  }

  /** A bookmark to a block or an area of the page in hand, named by its text. */
  async add(place: { region?: string; area?: [number, number, number, number]; title?: string }): Promise<void> {
    const page = desk.page?.id;
    if (page === undefined) return;
    await inTurn(() => notices.attempt(async () => {
      const document = desk.document;
      if (!document) return;
      const told = await api.addBookmark(document.id, { revision: document.revision, page, region: place.region ?? null, area: place.area ?? null, title: place.title ?? '' });
      this.take(told);
      notices.notify(`Bookmark “${told.bookmarks[told.added ?? 0]?.entry.title.slice(0, 60)}”`);
      await desk.refresh();
    }));
  }

  /** Deeper or higher, with all that stands beneath it; changed by hand from then on. */
  nest(chosen: number[], by: 1 | -1): BookmarkEntry[] {
    const moved = new Set(chosen.flatMap((at) => this.beneath(at)));
    return this.entries.map((e, i) => (moved.has(i) ? { ...e, depth: Math.max(0, e.depth + by) } : e));
  }

  /** One bookmark with those that stand within it, before another (`to` is a place among all; the length for the end). */
  move(at: number, to: number): BookmarkEntry[] {
    const own = this.beneath(at);
    if (to >= own[0]! && to <= own.at(-1)! + 1) return this.entries;
    const part = own.map((i) => this.entries[i]!);
    const rest = this.entries.filter((_, i) => !own.includes(i));
    const place = to > at ? to - own.length : to;
    return [...rest.slice(0, place), ...part, ...rest.slice(place)];
  }

  get entries(): BookmarkEntry[] {
    return this.marks.map((m) => m.entry);
  }

  beneath(at: number): number[] {
    const depth = this.marks[at]?.entry.depth ?? 0;
    let end = at + 1;
    while (end < this.marks.length && this.marks[end]!.entry.depth > depth) end++;
    return Array.from({ length: end - at }, (_, i) => at + i);
  }

  /** Whether the list is of what is there: edits made elsewhere on the bench ask for it anew. */
  get busy(): boolean {
    return this.loading || edits.saving;
  }
}

export const headings = new Headings();
