import { Refused } from '../api/client';

export interface Notice { id: number; text: string; kind: 'done' | 'refused' }

/** What the clerk is told in passing. */
export class Notices {
  list = $state<Notice[]>([]);
  /** Called where the server knows nothing of what is shown. */
  onGone: () => void = () => undefined;
  /** Called where what was to be changed has been changed elsewhere. */
  onStale: () => void = () => undefined;
  private last = 0;

  notify(text: string, kind: Notice['kind'] = 'done'): void {
    const id = ++this.last;
    this.list = [...this.list.slice(-2), { id, text, kind }];
    setTimeout(() => this.dismiss(id), kind === 'done' ? 3500 : 9000);
  }

  dismiss(id: number): void {
    this.list = this.list.filter((n) => n.id !== id);
  }

  report(error: unknown): void {
    if (error instanceof DOMException && error.name === 'AbortError') return;
    if (error instanceof Refused) {
      if (error.status === 404) this.onGone();
      if (error.status === 409) this.onStale();
      this.notify(error.message, 'refused');
    } else {
      this.notify(String(error), 'refused');
      throw error;
    }
  }

  async attempt(action: () => Promise<unknown>): Promise<void> {
    try {
      await action();
    } catch (error) {
      this.report(error);
    }
  }
}

export const notices = new Notices();
