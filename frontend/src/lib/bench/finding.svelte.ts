import { api, type Found, type FoundPlace, type Role, type Sought, type Way } from '../api/client';
import { desk } from './desk.svelte';
import { edits } from './edits.svelte';
import { counted } from './words';
import { inTurn } from './turns';
import { notices } from './notices.svelte';
import { saying } from './saying.svelte';
import { selection } from './selection.svelte';
import { view } from './view.svelte';

export type Where = 'document' | 'batch' | 'all';
const AT_ONCE = 60;
const PORTION = 8; // pages a request
const TYPED = 180; // milliseconds after the last key

const keyOf = (hit: FoundPlace) => `${hit.passage}.${hit.start}`;

/** Looking for text, and replacing it in one place, some or all; each is seen with its ink. */
export class Finding {
  open = $state(false);
  text = $state('');
  by = $state('');
  way = $state<Way>('part');
  exact = $state(false);
  where = $state<Where>('document');
  /** Blocks of one role or language only, where they are set. */
  role = $state<Role | ''>('');
  language = $state('');
  hits = $state.raw<FoundPlace[]>([]);
  total = $state(0);
  at = $state(-1);
  /** Places that are not to be replaced. */
  left = $state<Set<string>>(new Set());
  asked = $state(false);
  refused = $state('');
  doing = $state<{ done: number; of: number } | null>(null);
  private pages: number[] = [];
  private pending: AbortController | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private stopped = false;
  private back: HTMLElement | null = null;

  get sought(): Sought {
    return { text: this.text, way: this.way, exact: this.exact, ...(this.role && { role: this.role }), ...(this.language && { language: this.language }) };
  }

  show(text = '', by = ''): void {
    if (!this.open && typeof document !== 'undefined') this.back = document.activeElement as HTMLElement | null;
    this.open = true;
    if (!text) return;
    this.text = text;
    this.by = by;
    this.way = 'words';
    this.exact = true;
    this.where = 'document';
    this.role = '';
    this.language = '';
    void this.look();
  }

  close(): void {
    this.open = false;
    this.pending?.abort();
    // Whoever was at a word goes on there.
    const held = typeof document !== 'undefined' ? document.querySelector<HTMLElement>('[data-lifted] input.here') : null;
    (held ?? this.back)?.focus({ preventScroll: true });
  }

  /** Look when the typing pauses. */
  soon(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.look(), TYPED);
  }

  async look(): Promise<void> {
    this.pending?.abort();
    this.left = new Set();
    this.refused = '';
    if (!this.text.trim()) {
      this.take({ total: 0, pages: [], hits: [] }, 0);
      this.asked = false;
      return;
    }
    await this.load(0);
  }

  more = () => this.load(this.hits.length);

  private async load(first: number): Promise<void> {
    const pending = (this.pending = new AbortController());
    try {
      const found = await api.search(this.sought, this.scope(), first, AT_ONCE, pending.signal);
      if (pending.signal.aborted) return;
      this.take(found, first);
      this.asked = true;
    } catch (error) {
      if (error instanceof DOMException) return;
      this.refused = error instanceof Error ? error.message : String(error);
      this.take({ total: 0, pages: [], hits: [] }, 0);
    }
  }

  private take(found: Found, first: number): void {
    this.hits = first ? [...this.hits, ...found.hits] : found.hits;
    this.total = found.total;
    this.pages = found.pages;
    if (!first) this.at = -1;
  }

  private scope(): { document?: number; batch?: number } {
    const document = desk.document?.id, batch = desk.document?.batch_id ?? desk.batch?.id;
    if (this.where === 'document' && document !== undefined) return { document };
    return this.where !== 'all' && batch !== undefined ? { batch } : {};
  }

  async step(by: 1 | -1): Promise<void> {
    if (!this.hits.length) return;
    this.at = this.at < 0 ? (by > 0 ? 0 : this.hits.length - 1) : (this.at + by + this.hits.length) % this.hits.length;
    await this.go(this.at);
  }

  async go(at: number): Promise<void> {
    const hit = this.hits[at];
    if (!hit) return;
    this.at = at;
    const word = hit.words[0] ?? null;
    if (desk.document?.id !== hit.document) await view.goDocument(hit.document, 'proof', hit.position);
    else await view.goPage(hit.position);
    selection.select(hit.region, word);
    saying.say(`${at + 1} of ${this.total}: ${hit.before}${hit.found}${hit.after}`);
  }

  toggle(hit: FoundPlace): void {
    const left = new Set(this.left);
    if (!left.delete(keyOf(hit))) left.add(keyOf(hit));
    this.left = left;
  }

  isChosen = (hit: FoundPlace) => !this.left.has(keyOf(hit));

  /** Replace or redact one place, or all that are not left out. */
  async replace(only?: FoundPlace, redact = false): Promise<void> {
    const document = desk.document?.id;
    if (document === undefined || this.doing) return;
    const mine = this.hits.filter((h) => h.document === document);
    const places = only ? [only] : this.left.size ? mine.filter(this.isChosen) : null;
    const wanted = places ? [...new Set(places.map((h) => h.page))] : this.pages.filter((id) => desk.pages.some((p) => p.id === id));
    const { sought, by } = this;
    this.stopped = false;
    let change: number | null = null, words = 0;
    await inTurn(() =>
      notices.attempt(async () => {
        for (let at = 0; at < wanted.length && !this.stopped; at += PORTION) {
          this.doing = { done: at, of: wanted.length };
          const chosen = places?.map((h) => ({ passage: h.passage, start: h.start })) ?? null;
          const told = await api.replace(document, sought, by, wanted.slice(at, at + PORTION), chosen, change, redact);
          words += told.words;
          if (told.words) change = told.document.undo?.id ?? null;
          desk.apply(told);
        }
        notices.notify(words ? `${counted(words, 'place')} ${redact ? 'redacted: in nothing that is delivered' : 'replaced'}` : 'Nothing was changed');
      }),
    );
    this.doing = null;
    const at = this.at;
    await this.look();
    this.at = Math.min(at, this.hits.length - 1);
    if (edits.walk.length && this.total === 0 && only === undefined) this.close();
  }

  stop(): void {
    this.stopped = true;
  }
}

export const finding = new Finding();
