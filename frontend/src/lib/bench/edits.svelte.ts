import { api, Refused, type Changed, type OpenDoubt, type Operation, type Word } from '../api/client';
import { tick } from 'svelte';
import { ahead } from './ahead.svelte';
import { findWord } from './content';
import { desk } from './desk.svelte';
import { history } from './history.svelte';
import { doubts } from './doubts.svelte';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';
import { afterPaint, painted } from './later';
import { inTurn } from './turns';
import { typeInto } from './typing';
import { view } from './view.svelte';
import { bared } from './words';

const LOOKED_AHEAD = 6; // doubts
/** A word that was changed elsewhere while it was changed here: theirs stands, until the clerk chooses. */
export interface Clash { page: number; position: number; word: string; read: string; theirs: string; mine: string; box: number[]; size: [number, number]; image: string | null }
type Settled = { page: number; word: string; key: string; read: string; text: string | null };
const OURS_WITH_CTRL = /^(Enter|Period|Comma|Key[BIKUXYZ])$/;
const TRIES_AGAIN = 1500; // milliseconds, while the server does not answer
const PACE = 10 * 60_000; // milliseconds over which it is counted

/** Changes of what pages say, sent one after the other, and the walk through the doubts. */
export class Edits {
  saving = $state(false);

  /**
   * Make a change, on the page in hand unless told which.
   * Ids of regions and words repeat from page to page, so what was typed on a page names it.
   */
  async edit(operation: Operation, everywhere = false, pageId = desk.page?.id): Promise<boolean> {
    if (pageId === undefined) return false;
    return inTurn(() => this.send(pageId, operation, everywhere));
  }

  private async send(pageId: number, operation: Operation, everywhere: boolean): Promise<boolean> {
    this.saving = true;
    try {
      const revision = desk.page?.id === pageId ? desk.page.revision : desk.pages.find((p) => p.id === pageId)?.revision;
      const changed = await this.sendOrMerge(pageId, revision ?? 0, operation, everywhere);
      if (everywhere && changed && changed.words > 1) notices.notify(`${changed.words} words corrected`);
      if (changed) desk.apply(changed);
      else await desk.reload();
      this.showSettled();
      return changed !== null;
    } catch (error) {
      notices.report(error);
      if (error instanceof Refused && error.status === 409) await desk.reload();
      return false;
    } finally {
      this.saving = false;
    }
  }

  /** Where the page was changed elsewhere meanwhile, the change is made all the same if it is of another word; null where the clerk must choose. */
  private async sendOrMerge(pageId: number, revision: number, operation: Operation, everywhere: boolean): Promise<Changed | null> {
    try {
      return await api.edit(pageId, revision, operation, everywhere);
    } catch (error) {
      const word = 'word_id' in operation ? operation.word_id : null;
      const mine = this.settled.find((s) => s.page === pageId && s.word === word);
      if (!(error instanceof Refused) || error.status !== 409 || !word || !mine) throw error;
      const fresh = await api.page(pageId);
      const theirs = findWord(fresh.content, word)?.word;
      if (theirs?.text === mine.read && theirs.state === 'read') return api.edit(pageId, fresh.revision, operation, everywhere);
      const wanted = mine.text ?? mine.read;
      if (theirs?.text === wanted) return api.edit(pageId, fresh.revision, operation, everywhere);
      if (!theirs || !fresh.content) throw new Refused(409, 'Changed elsewhere', `“${mine.read}” was changed elsewhere meanwhile: the word is not there any more, you wrote “${wanted}”.`);
      const { width, height } = fresh.content;
      this.clashes = [...this.clashes, { page: pageId, position: fresh.position, word, read: mine.read, theirs: theirs.text, mine: wanted, box: theirs.box, size: [width, height], image: fresh.cleaned }];
      return null;
    }
  }

  /** Send what is settled on the screen until the server has it or refuses it; then its own state is shown. */
  private async keep(mine: Settled, operation: Operation, everywhere: boolean): Promise<void> {
    for (let told = false; ; told = true) {
      try {
        const revision = desk.page?.id === mine.page ? desk.page.revision : desk.pages.find((p) => p.id === mine.page)?.revision;
        const changed = await this.sendOrMerge(mine.page, revision ?? 0, operation, everywhere);
        this.forget(mine);
        if (changed) desk.apply(changed);
        else await desk.reload();
        this.showSettled();
        return;
      } catch (error) {
        if (error instanceof Refused && error.status === 0) {
          if (!told) notices.notify('The server does not answer. What you settle waits here, and is sent when it is back.', 'refused');
          await new Promise((done) => setTimeout(done, TRIES_AGAIN));
          continue;
        }
        this.forget(mine);
        notices.report(error);
        await desk.reload();
        return;
      }
    }
  }

  /** Words that were changed here and elsewhere at once; the first is asked about. */
  clashes = $state<Clash[]>([]);

  /** Of the first of them, take one's own text, or leave what stands there. */
  async choose(own: boolean): Promise<void> {
    const [clash] = this.clashes;
    if (!clash) return;
    try {
      // On the page as it is now, whichever document is in hand meanwhile; what fails is asked about again.
      if (own) await inTurn(async () => {
        const { revision } = await api.page(clash.page);
        const changed = await api.edit(clash.page, revision, { op: 'set_word', word_id: clash.word, text: clash.mine }, false);
        if (changed.document.id === desk.document?.id) desk.apply(changed);
      });
      this.clashes = this.clashes.filter((c) => c !== clash);
    } catch (error) {
      notices.report(error);
    }
  }

  private forget(mine: Settled): void {
    this.settled = this.settled.filter((s) => s !== mine);
  }

  /** Whether something is settled that the server has not kept yet. */
  get unsent(): boolean {
    return this.settled.length > 0;
  }

  /** The doubts that were settled here, the last one at the end: undoing takes that in hand again. */
  private done: { page: number; word: string }[] = [];

  /** Take back the last change, and take in hand the word that it was about. */
  async undo(): Promise<void> {
    const last = this.done.pop();
    await this.moving(async () => {
      await history.turn('undo');
      const at = desk.pages.findIndex((p) => p.id === last?.page);
      if (!last || at < 0) return;
      await view.goPage(at);
      const found = findWord(desk.page?.content, last.word);
      if (found) selection.select(found.region.id, last.word, true);
    });
  }

  /** Words that are settled on the screen and not yet at the server. */
  private settled: Settled[] = [];

  private showSettled(): void {
    for (const each of this.settled) {
      desk.settle(each.page, each.word, each.text);
      doubts.drop(each.page, each.key);
    }
  }

  /**
   * Settle a word: as it was read, or as another text. The next doubt is in hand at once; nothing waits for the
   * server, and what it refuses comes back.
   */
  async settleWord(page: number, word: Word, text: string | null, everywhere = false): Promise<void> {
    const at = Math.max(0, this.at);
    const key = `proof:word:${word.id}`;
    const mine = { page, word: word.id, key, read: word.text, text };
    this.settled.push(mine);
    this.done = [...this.done.slice(-99), { page, word: word.id }];
    this.count();
    const kin = ahead.helpFor(page, word.id, word.text)?.kin ?? 0;
    this.kin = null;
    if (text && kin && !everywhere) {
      const { read, meant } = bared(word.text, text);
      this.kin = { read, text: meant, count: kin };
    }
    const operation: Operation = text === null ? { op: 'accept_word', word_id: word.id } : { op: 'set_word', word_id: word.id, text };
    // The next word comes first: what is sent waits until that is painted.
    void inTurn(() => painted().then(() => this.keep(mine, operation, everywhere)));
    this.showSettled();
    await this.moving(async () => {
      const next = this.walk[Math.min(at, this.walk.length - 1)];
      if (next) await this.goDoubt(next);
      else selection.lifted = false;
    });
  }

  /** Keys that came while the next doubt was on its way; they are for that one. */
  private waiting: KeyboardEvent[] = [];
  private underway = 0;

  /** Keep a key for the doubt that is on its way; true where there is one. */
  hold(event: KeyboardEvent): boolean {
    if (!this.underway || /^(Shift|Alt|AltGraph|Control|Meta)$/.test(event.key)) return false;
    const own = OURS_WITH_CTRL.test(event.code) && (event.code !== 'KeyX' || event.shiftKey);
    if ((event.ctrlKey || event.metaKey) && !own) return false; // the browser's
    this.waiting.push(event);
    return true;
  }

  /** What turns to another word: keys that come meanwhile are for that one. */
  async moving(action: () => Promise<void>): Promise<void> {
    this.underway++;
    try {
      await action();
      await tick();
      await tick();
    } finally {
      this.underway--;
      this.replay();
    }
  }

  private replay(): void {
    while (!this.underway) {
      const key = this.waiting.shift();
      const target = document.activeElement;
      if (!key || !target) return;
      const again = new KeyboardEvent('keydown', { key: key.key, code: key.code, ctrlKey: key.ctrlKey, metaKey: key.metaKey, altKey: key.altKey, shiftKey: key.shiftKey, bubbles: true, cancelable: true });
      if (target.dispatchEvent(again) && target instanceof HTMLInputElement) typeInto(target, key);
    }
  }

  /** Of the last correction: how many other places say what was misread. */
  kin = $state<{ read: string; text: string; count: number } | null>(null);

  /** When words were settled, for the pace. */
  private times = $state<number[]>([]);

  private count(): void {
    const now = Date.now();
    this.times = [...this.times.filter((t) => now - t < PACE), now];
  }

  /** Words a minute, over the last minutes; null where there are too few to tell. */
  get pace(): number | null {
    const [first, last] = [this.times[0], this.times.at(-1)];
    if (this.times.length < 5 || first === undefined || last === undefined) return null;
    return Math.round((this.times.length - 1) / Math.max((last - first) / 60_000, 0.05));
  }

  // The walk through the doubts

  get walk(): OpenDoubt[] {
    return doubts.walk(view.stage);
  }

  get at(): number {
    return doubts.place(this.walk, desk.page?.id, selection.region, selection.word);
  }

  async goDoubt(doubt: OpenDoubt): Promise<void> {
    const walk = this.walk;
    const at = walk.findIndex((d) => d.page_id === doubt.page_id && d.key === doubt.key);
    if (at >= 0) afterPaint(() => ahead.fetch(walk.slice(at, at + LOOKED_AHEAD), (id) => desk.pages.find((p) => p.id === id)?.revision));
    await view.goPage(doubt.position);
    if (desk.page?.id === doubt.page_id) selection.select(doubt.region_id ?? null, doubt.word_id ?? null, doubt.word_id !== null);
  }

  async step(by: 1 | -1): Promise<void> {
    await this.moving(async () => {
      await doubts.arrived(); // who has just opened a document is quicker than they are
      const walk = this.walk;
      const doubt = walk[this.at < 0 ? (by > 0 ? 0 : walk.length - 1) : (this.at + by + walk.length) % walk.length];
      if (doubt) await this.goDoubt(doubt);
      else selection.lifted = false;
    });
  }

  /** After a doubt is settled, the one that took its place in the list. */
  async settleThenNext(action: () => Promise<boolean>): Promise<void> {
    const at = Math.max(0, this.at);
    const { region, word } = selection;
    if (!(await action())) return;
    // Whoever went elsewhere while the change was saved stays there.
    if (selection.region !== null && (selection.region !== region || selection.word !== word)) return;
    const next = this.walk[Math.min(at, this.walk.length - 1)];
    if (next) await this.goDoubt(next);
    else selection.lifted = false;
  }
}

export const edits = new Edits();
