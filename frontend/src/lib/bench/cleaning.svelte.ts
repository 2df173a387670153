import { api, AUTOMATIC, type Applied, type Audience, type Finding, type Page, type Patch, type Preview, type Treatment, type View } from '../api/client';
import { desk } from './desk.svelte';
import { hand, type Handles, type Tool } from './hand.svelte';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';

const VIEW: Record<Handles, View> = { none: 'page', outline: 'upright', fold: 'spread', cut: 'sheet', grid: 'sheet' };

/** The treatment under the clerk's hands: a draft, its preview, and what was done to it. */
class Cleaning {
  draft = $state<Treatment | null>(null);
  preview = $state<Preview | null>(null);
  before = $state<Preview | null>(null);
  working = $state(false);
  private earlier = $state<(Treatment | null)[]>([]);
  private gesture: string | null = null;
  private pageId = 0;
  private cleaned: string | null = null;
  private pending: AbortController | null = null;
  private pendingBefore: AbortController | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;

  treatment = $derived<Treatment | null>(this.draft ?? desk.page?.treatment ?? null);
  changed = $derived(this.draft !== null);
  findings = $derived.by((): Finding[] => {
    const kept = desk.page?.findings ?? [];
    if (!this.preview || !this.draft) return kept;
    // Under the grid lies the page as it was before it is flattened; that is no outcome.
    const tried = this.preview.findings.filter((f) => hand.handles !== 'grid' || f.step !== 'flatten');
    return [...tried, ...kept.filter((k) => !tried.some((t) => t.step === k.step))];
  });
  applied = $derived<Applied | null>(this.preview?.applied ?? (desk.page?.applied as Applied | null) ?? null);
  canUndo = $derived(this.earlier.length > 0);

  /** Whether another page is in hand now; nothing of the last one's draft stays then. */
  take(page: Page): boolean {
    // What was tried stays in sight until the page cleaned like that has come.
    if (page.id === this.pageId && page.cleaned !== this.cleaned && !this.draft) this.preview = null;
    this.cleaned = page.cleaned ?? null;
    if (page.id === this.pageId) return false;
    this.pageId = page.id;
    this.drop();
    this.before = null;
    if (hand.seam) this.show();
    return true;
  }

  drop(): void {
    this.draft = null;
    this.gesture = null;
    this.earlier = [];
    this.preview = null;
    hand.empty();
    this.pending?.abort();
    this.working = false;
  }

  /** Set steps. Changes that share a `gesture`, such as one drag, are taken back together. */
  change(patch: Partial<Treatment>, gesture: string | null = null): void {
    if (!this.treatment) return;
    if (gesture === null || gesture !== this.gesture) this.remember();
    this.gesture = gesture;
    this.draft = { ...($state.snapshot(this.treatment) as Treatment), ...patch };
    this.show();
  }

  reset(): void {
    this.gesture = null;
    this.remember();
    this.draft = AUTOMATIC;
    this.show();
  }

  /** A drag has ended: the next one is a gesture of its own. */
  release(): void {
    this.gesture = null;
  }

  private remember(): void {
    this.earlier = [...this.earlier.slice(-49), this.draft ? ($state.snapshot(this.draft) as Treatment) : null];
  }

  undo(): void {
    this.gesture = null;
    const last = this.earlier.at(-1);
    if (last === undefined) return;
    this.earlier = this.earlier.slice(0, -1);
    this.draft = last;
    this.show();
  }

  open(handles: Handles): void {
    hand.open(handles);
    this.show();
  }

  use(tool: Tool): void {
    const out = hand.handles !== 'none';
    hand.use(tool);
    if (out) this.show();
  }

  compare(on: boolean): void {
    hand.seam = on;
    if (on) this.show();
  }

  /** Ask for what the sheet should show; a later wish replaces an earlier one. */
  show(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.load(), 40);
  }

  private async load(): Promise<void> {
    const page = desk.page;
    if (!page?.original || !this.treatment) return;
    const treatment = $state.snapshot(this.treatment) as Treatment;
    if (hand.seam && hand.handles === 'none') void this.loadBefore(page.id, treatment);
    if (hand.handles === 'none' && !this.draft) {
      this.pending?.abort();
      this.preview = null;
      this.working = false;
      return;
    }
    this.pending?.abort();
    const pending = (this.pending = new AbortController());
    this.working = true;
    try {
      const wanted = hand.handles === 'grid' ? { ...treatment, flatten: { switch: 'off' as const, bend: null } } : treatment;
      const preview = await api.preview(page.id, wanted, VIEW[hand.handles], pending.signal);
      if (pending.signal.aborted) return;
      if (hand.handles === 'grid') preview.applied.bend = treatment.flatten?.switch === 'by_hand' ? treatment.flatten.bend! : (page.applied?.bend ?? null);
      this.preview = preview;
    } catch (error) {
      if (!pending.signal.aborted) notices.report(error);
    } finally {
      if (this.pending === pending) this.working = false;
    }
  }

  private async loadBefore(pageId: number, treatment: Treatment): Promise<void> {
    this.pendingBefore?.abort();
    const pending = (this.pendingBefore = new AbortController());
    try {
      const before = await api.preview(pageId, treatment, 'before', pending.signal);
      if (!pending.signal.aborted) this.before = before;
    } catch (error) {
      if (!pending.signal.aborted) notices.report(error);
    }
  }

  async apply(audience: Audience): Promise<void> {
    const page = desk.page;
    if (!page || !this.treatment) return;
    const wanted = $state.snapshot(this.treatment) as Treatment;
    await notices.attempt(async () => {
      const told = await desk.change((_, revision) => api.treat(page.id, revision, wanted, audience, selection.chosen(desk.pages, desk.page)));
      const tried = hand.handles === 'none' && told.tasks ? this.preview : null;
      this.drop();
      if (desk.page?.id === page.id) this.preview = tried;
      notices.notify(told.tasks === 1 ? 'The page is cleaned again' : `${told.tasks} pages are cleaned again`);
      await desk.refresh();
    });
  }

  async addPatches(outline: [number, number][], erase: boolean, alike = false): Promise<void> {
    const page = desk.page;
    if (!page || !this.treatment) return;
    await notices.attempt(async () => {
      const found = await api.patches(page.id, $state.snapshot(this.treatment) as Treatment, outline, erase, alike);
      if (!found.patches.length) {
        notices.notify('There is no mark here.', 'refused');
        return;
      }
      if (alike) notices.notify(`${found.patches.length} marks erased; Ctrl Z brings them back`);
      this.change({ patches: [...((this.treatment?.patches as Patch[] | undefined) ?? []), ...found.patches] });
    });
  }
}

export const cleaning = new Cleaning();
