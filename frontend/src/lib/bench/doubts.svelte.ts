import { api, type OpenDoubt, type StageId } from '../api/client';

const AT_ONCE = 1000;
const worstFirst = (a: OpenDoubt, b: OpenDoubt) => b.weight - a.weight || a.position - b.position || (a.key < b.key ? -1 : 1);

/** The open doubts of the document in hand, worst first, however many they are. */
export class Doubts {
  list = $state.raw<OpenDoubt[]>([]);
  private loading = 0;
  private coming: Promise<void> = Promise.resolve();
  /** Pages told anew while all are asked for: what was asked for before tells an older state of them. */
  private newer = new Set<number>();
  /** Kept while the list is the same one: it is asked for many times for each key. */
  private walked: { list: OpenDoubt[]; stage: StageId; walk: OpenDoubt[] } | null = null;

  /** Load them all, part by part; what is known already is shown meanwhile. */
  load(document: number): Promise<void> {
    return (this.coming = this.loadAll(document));
  }

  /** Waits for those that were asked for last, if none is here. */
  async arrived(): Promise<void> {
    if (!this.list.length) await this.coming.catch(() => undefined);
  }

  private async loadAll(document: number): Promise<void> {
    const mine = ++this.loading;
    this.newer.clear();
    const found: OpenDoubt[] = [];
    for (;;) {
      const part = await api.doubts(document, AT_ONCE, found.at(-1));
      if (mine !== this.loading) return;
      found.push(...part);
      if (part.length < AT_ONCE) break;
      if (found.length > this.list.length) this.list = this.withNewer(found);
    }
    this.list = this.withNewer(found);
  }

  private withNewer(found: OpenDoubt[]): OpenDoubt[] {
    const own = this.list.filter((d) => this.newer.has(d.page_id));
    return [...found.filter((d) => !this.newer.has(d.page_id)), ...own].sort(worstFirst);
  }

  /** The doubts of some pages anew. */
  replace(pages: number[], fresh: OpenDoubt[]): void {
    if (!pages.length) return;
    const changed = new Set(pages);
    for (const id of pages) this.newer.add(id);
    this.list = [...this.list.filter((d) => !changed.has(d.page_id)), ...fresh].sort(worstFirst);
  }

  /** One is settled; the server will say so. */
  drop(page: number, key: string): void {
    this.newer.add(page);
    this.list = this.list.filter((d) => d.page_id !== page || d.key !== key);
  }

  clear(): void {
    this.loading++;
    this.list = [];
  }

  /** Those that stepping goes through: the stage's if it has any, else all. */
  walk(stage: StageId): OpenDoubt[] {
    const list = this.list;
    if (this.walked?.list !== list || this.walked.stage !== stage) {
      const own = list.filter((d) => d.stage === stage);
      this.walked = { list, stage, walk: own.length ? own : list };
    }
    return this.walked.walk;
  }

  /** The place in a walk of what is selected, or -1. */
  place(walk: OpenDoubt[], page: number | undefined, region: string | null, word: string | null): number {
    return walk.findIndex((d) => d.page_id === page && (d.word_id ? d.word_id === word : d.region_id !== null && d.region_id === region));
  }
}

export const doubts = new Doubts();
