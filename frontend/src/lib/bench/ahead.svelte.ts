import { api, type OpenDoubt, type Page, type WordHelp } from '../api/client';
import { inTurn } from './turns';

const PAGES_KEPT = 12;
const HELP_KEPT = 400;

/** What will be asked for next is here before it is asked for: pages, their pictures, and what words may be. */
export class Ahead {
  private pages = new Map<number, Page>();
  private asked = new Set<string>();
  private help = $state.raw<Record<string, WordHelp>>({});

  /** A page as it is at that revision, if it is here. */
  page(id: number, revision: number): Page | null {
    const page = this.pages.get(id);
    return page?.revision === revision ? page : null;
  }

  keep(page: Page): void {
    this.pages.delete(page.id);
    this.pages.set(page.id, page);
    for (const id of this.pages.keys()) {
      if (this.pages.size <= PAGES_KEPT) break;
      this.pages.delete(id);
    }
  }

  /** A page as it was when it came, whatever has become of it. */
  latest(id: number): Page | null {
    return this.pages.get(id) ?? null;
  }

  clear(): void {
    this.pages.clear();
    this.asked.clear();
    this.help = {};
  }

  /** What a word may have been; undefined while it is on its way. */
  helpFor(page: number, word: string, text: string): WordHelp | undefined {
    return this.help[`${page}.${word}.${text}`];
  }

  /** Ask for what some doubts will need: for those after the first once all that was settled is saved, which goes before. */
  fetch(doubts: OpenDoubt[], revision: (page: number) => number | undefined): void {
    const need = (doubt: OpenDoubt) => {
      if (!this.page(doubt.page_id, revision(doubt.page_id) ?? -1)) void this.fetchPage(doubt.page_id);
      this.fetchHelp(doubt);
    };
    const [first, ...others] = doubts;
    if (first) need(first);
    if (others.length) void inTurn(async () => others.forEach(need));
  }

  /** Ask what a doubtful word may be. */
  fetchHelp({ page_id, word_id, text }: OpenDoubt): void {
    if (word_id) void this.once(`${page_id}.${word_id}.${text}`, () => this.loadHelp(page_id, word_id, text));
  }

  /** Ask for a page, and for its picture, which is not waited for. */
  fetchPage(id: number): Promise<void> {
    return this.once(`page ${id}`, async () => {
      const page = await api.page(id);
      this.keep(page);
      // With a listener it is not dropped before it is here.
      if (page.cleaned && typeof Image !== 'undefined') Object.assign(new Image(), { onload: () => undefined, src: page.cleaned });
    });
  }

  private async loadHelp(page: number, word: string, text: string): Promise<void> {
    const key = `${page}.${word}.${text}`;
    if (this.help[key]) return;
    const told = await api.wordHelp(page, word);
    const kept = Object.entries(this.help).slice(-HELP_KEPT);
    this.help = { ...Object.fromEntries(kept), [key]: told };
  }

  /** Nothing is asked for twice at a time; what fails is asked for again when it is needed. */
  private async once(key: string, action: () => Promise<void>): Promise<void> {
    if (this.asked.has(key)) return;
    this.asked.add(key);
    try {
      await action();
    } catch {
      // It is a help only; whoever needs it asks himself.
    } finally {
      this.asked.delete(key);
    }
  }
}

export const ahead = new Ahead();
