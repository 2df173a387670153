import { api, Refused, type Change } from '../api/client';
import { desk } from './desk.svelte';
import { notices } from './notices.svelte';
import { inTurn } from './turns';
import { view } from './view.svelte';

/** Undo and redo: the document's one history, kept by the server, over all stages. */
export class History {
  get undo(): Change | null {
    return desk.document?.undo ?? null;
  }

  get redo(): Change | null {
    return desk.document?.redo ?? null;
  }

  /** Take back the last change or do it again, as it is named on the screen. */
  async turn(which: 'undo' | 'redo'): Promise<void> {
    await inTurn(async () => {
      const document = desk.document;
      const change = this[which];
      if (!document || !change) return;
      try {
        const changed = await api[which](document.id, change.id);
        notices.notify(`${which === 'undo' ? 'Undone' : 'Done again'}: ${changed.label}`);
        desk.apply(changed);
        if (changed.arranged) await desk.reload();
        const at = desk.pages.findIndex((p) => p.id === changed.page?.id);
        if (at >= 0 && !view.contact) await view.goPage(at);
      } catch (error) {
        notices.report(error);
        if (error instanceof Refused && error.status === 409) await desk.reload();
      }
    });
  }
}

export const history = new History();
