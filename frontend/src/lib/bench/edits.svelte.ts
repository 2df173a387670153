import { api, Refused, type Changed, type OpenDoubt, type Operation } from '../api/client';
import { desk } from './desk.svelte';
import { doubts } from './doubts.svelte';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';
import { inTurn } from './turns';
import { view } from './view.svelte';

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
      const changed: Changed = await api.edit(pageId, revision ?? 0, operation, everywhere);
      if (everywhere && changed.words > 1) notices.notify(`${changed.words} words corrected`);
      desk.apply(changed);
      return true;
    } catch (error) {
      notices.report(error);
      if (error instanceof Refused && error.status === 409) await desk.reload();
      return false;
    } finally {
      this.saving = false;
    }
  }

  // The walk through the doubts

  get walk(): OpenDoubt[] {
    return doubts.walk(view.stage);
  }

  get at(): number {
    return doubts.place(this.walk, desk.page?.id, selection.region, selection.word);
  }

  async goDoubt(doubt: OpenDoubt): Promise<void> {
    await view.goPage(doubt.position);
    if (desk.page?.id === doubt.page_id) selection.select(doubt.region_id ?? null, doubt.word_id ?? null, doubt.word_id !== null);
  }

  async step(by: 1 | -1): Promise<void> {
    const walk = this.walk;
    if (!walk.length) {
      selection.lifted = false;
      return;
    }
    const next = this.at < 0 ? (by > 0 ? 0 : walk.length - 1) : (this.at + by + walk.length) % walk.length;
    const doubt = walk[next];
    if (doubt) await this.goDoubt(doubt);
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
