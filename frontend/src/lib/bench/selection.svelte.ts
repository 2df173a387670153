import type { Page, PageSummary } from '../api/client';

/** What is selected: a region and word, for the sheet and the script alike, and the pages that are picked. */
export class Selection {
  region = $state<string | null>(null);
  word = $state<string | null>(null);
  lifted = $state(false);
  /** Regions that are chosen besides. */
  also = $state<string[]>([]);
  /** By id. */
  picked = $state<number[]>([]);
  private pickedFrom = 0;

  select(region: string | null, word: string | null = null, lift = false): void {
    this.region = region;
    this.also = [];
    this.word = word;
    this.lifted = lift && word !== null;
  }

  /** A region more, or one less. */
  toggle(region: string): void {
    const all = this.regions;
    const now = all.includes(region) ? all.filter((r) => r !== region) : [...all, region];
    this.select(now[0] ?? null);
    this.also = now.slice(1);
  }

  /** All regions that are chosen, the first one first. */
  get regions(): string[] {
    return this.region === null ? [] : [this.region, ...this.also];
  }

  clear(): void {
    this.select(null);
  }

  /** A click on a page: alone, to and fro with Ctrl, a run with Shift. */
  pick(pages: PageSummary[], index: number, how: { shift: boolean; ctrl: boolean }): void {
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
  chosen(pages: PageSummary[], page: Page | null): number[] {
    const picked = pages.filter((p) => this.picked.includes(p.id)).map((p) => p.id);
    return picked.length ? picked : page ? [page.id] : [];
  }
}

export const selection = new Selection();
