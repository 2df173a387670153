import type { Document, StageId } from '../api/client';
import { format, parse, type BatchStage, type Place } from './address';
import { findWord } from './content';
import { desk } from './desk.svelte';
import { afterPaint } from './later';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';

/** Where the clerk is: the stage, the page, and whether all pages lie on the contact sheet. */
export class View {
  stage = $state<StageId>('bring_in');
  contact = $state(false);
  /** Whether sheets come from a scanner into the batch in hand. */
  scanning = $state(false);
  /** The bundle in hand, or null. */
  bundle = $state<number | null>(null);
  private naming: (() => void) | null = null;

  async start(): Promise<void> {
    window.addEventListener('popstate', () => void this.follow(parse(location.hash)));
    notices.onGone = () => void this.goHome();
    notices.onStale = () => void desk.refresh();
    await this.follow(parse(location.hash));
  }

  /** Go there; resolved when all of it is on the desk. */
  async go(place: Place, keepAddress = false): Promise<void> {
    if (this.naming) this.nameIt();
    const hash = format(place);
    if (hash !== location.hash) history[keepAddress ? 'replaceState' : 'pushState'](null, '', hash);
    await this.follow(place);
  }

  private async follow(place: Place): Promise<void> {
    await notices.attempt(async () => {
      this.scanning = place.kind === 'batch' && place.stage === 'scan';
      this.bundle = place.kind === 'bundle' ? place.id : null;
      if (place.kind === 'document') {
        if (desk.document?.id !== place.id) this.contact = false;
        this.stage = place.stage;
        if (!(await desk.openDocument(place.id, place.page))) return;
        await desk.showPage(place.page);
        document.title = `${desk.document?.title ?? ''} – Hyalen`;
      } else {
        this.contact = false;
        if (place.kind === 'batch') this.stage = place.stage === 'scan' ? 'bring_in' : place.stage;
        await (place.kind === 'batch' ? desk.openBatch(place.id) : desk.openTrolley());
        document.title = 'Hyalen';
      }
    });
  }

  goHome = () => this.go({ kind: 'trolley' });
  goBundle = (id: number) => this.go({ kind: 'bundle', id });
  goBatch = (id: number, stage: BatchStage = 'bring_in') => this.go({ kind: 'batch', id, stage });
  goDocument = (id: number, stage: StageId = 'proof', page = 0) => this.go({ kind: 'document', id, stage, page });

  async goStage(stage: StageId): Promise<void> {
    if (stage === 'bring_in' || stage === 'deliver') {
      const id = desk.document?.batch_id ?? desk.batch?.id;
      if (id) await this.goBatch(id, stage);
    } else if (desk.document) await this.goDocument(desk.document.id, stage, desk.pageIndex);
    else {
      const documents = desk.batch?.documents ?? [];
      const worst = documents.find((d) => (d.doubts[stage] ?? 0) > 0) ?? documents[0];
      if (worst) await this.goDocument(worst.id, stage);
    }
  }

  /** Turn to a page of the document in hand. Every call counts at once, the picture follows when it can. */
  async goPage(index: number): Promise<void> {
    const id = desk.document?.id;
    if (id === undefined) return;
    const shown = desk.showPage(index);
    this.saysPage();
    await notices.attempt(() => shown);
  }

  /** The address names the page in hand, once that is painted. */
  private saysPage(): void {
    this.naming?.();
    this.naming = afterPaint(() => this.nameIt());
  }

  private nameIt(): void {
    this.naming?.();
    this.naming = null;
    const id = desk.document?.id, place = parse(location.hash);
    if (place.kind === 'document' && place.id === id) history.replaceState(null, '', format({ kind: 'document', id, stage: this.stage, page: desk.pageIndex }));
  }

  turn = (by: 1 | -1) => this.goPage(desk.pageIndex + by);

  /** A block of some page, in a stage. */
  async goBlock(stage: StageId, page: number, region: string | null, word: string | null = null): Promise<void> {
    if (!desk.document) return;
    await this.goDocument(desk.document.id, stage, page);
    selection.select(region, word, word !== null);
  }

  /** Take a word of the page in hand. */
  takeWord(word: string): void {
    const found = findWord(desk.page?.content, word);
    if (found) selection.select(found.region.id, word, true);
  }

  /**
   * The document after its pages were rearranged; the page in hand stays in hand if it is still there.
   * `pick` is picked with the change itself, unless the clerk has picked others before its answer came: the change
   * may show before that, where another page has had the document asked for.
   */
  async rearranged(change: () => Promise<Document>, pick?: number[]): Promise<boolean> {
    const before = selection.picked.join();
    try {
      const fresh = await change();
      if (pick && selection.picked.join() === before) selection.picked = pick;
      desk.take(fresh);
    } catch (error) {
      notices.report(error);
      await desk.refresh();
      return false;
    }
    const id = desk.document?.id;
    if (id !== undefined) history.replaceState(null, '', format({ kind: 'document', id, stage: this.stage, page: desk.pageIndex }));
    await desk.reload();
    return true;
  }
}

export const view = new View();
