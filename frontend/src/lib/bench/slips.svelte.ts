import { api, type OpenDoubt, type SettledWord, type Slip } from '../api/client';
import { ahead } from './ahead.svelte';
import { desk } from './desk.svelte';
import { notices } from './notices.svelte';
import { inTurn } from './turns';
import { remember, remembered } from './keys';
import { saying } from './saying.svelte';
import { counted } from './words';

const AT_ONCE = 200;
const PORTION = 200; // words a request
const LOOKED_AHEAD = 6;
export type By = 'letters' | 'words';

/** Doubtful words on slips, alike ones together: many are looked at at once. */
export class SlipSheet {
  open = $state(false);
  by = $state<By>(remembered('slips', 'letters') === 'words' ? 'words' : 'letters');
  list = $state.raw<Slip[]>([]);
  whole = $state(false);
  loading = $state(false);
  at = $state(0);
  doing = $state<{ done: number; of: number } | null>(null);

  async show(by: By = this.by): Promise<void> {
    this.by = by;
    remember('slips', by);
    this.open = true;
    this.list = [];
    this.at = 0;
    this.whole = false;
    await this.more();
  }

  close(): void {
    this.open = false;
    this.list = [];
  }

  /** The next ones; what was settled meanwhile is no more among those that come first at the server. */
  async more(): Promise<void> {
    const document = desk.document?.id;
    if (document === undefined || this.loading || this.whole) return;
    this.loading = true;
    // After what is being settled: until then the server still counts it.
    await inTurn(() => notices.attempt(async () => {
      const by = this.by;
      const told = await api.slips(document, by, this.list.length, AT_ONCE);
      if (!this.open || by !== this.by) return;
      const known = new Set(this.list.map((s) => `${s.page}.${s.key}`));
      this.list = [...this.list, ...told.slips.filter((s) => !known.has(`${s.page}.${s.key}`))];
      this.whole = told.whole;
    }));
    this.loading = false;
  }

  get here(): Slip | undefined {
    return this.list[this.at];
  }

  groupOf(slip: Slip): Slip[] {
    return this.list.filter((s) => s.group === slip.group);
  }

  go(at: number): void {
    this.at = Math.min(Math.max(0, at), Math.max(0, this.list.length - 1));
    const next = this.list.slice(this.at, this.at + LOOKED_AHEAD).map((s) => ({ page_id: s.page, word_id: s.word, text: s.text }) as OpenDoubt);
    for (const doubt of next) ahead.fetchHelp(doubt);
    if (this.at > this.list.length - AT_ONCE / 2) void this.more();
  }

  /** Settle slips, as they were read or as another text: they are gone at once, the server follows in portions of one change. */
  async settle(slips: Slip[], text: string | null): Promise<void> {
    const document = desk.document?.id;
    if (document === undefined || !slips.length) return;
    const gone = new Set(slips);
    const before = this.list.slice(0, this.at).filter((s) => gone.has(s)).length;
    this.list = this.list.filter((s) => !gone.has(s));
    this.go(this.at - before);
    const words: SettledWord[] = slips.map((s) => ({ page: s.page, word: s.word, was: s.text, text }));
    let failed = false;
    await inTurn(() =>
      notices.attempt(async () => {
        let change: number | null = null, done = 0;
        try {
          for (let at = 0; at < words.length; at += PORTION) {
            if (words.length > PORTION) this.doing = { done: at, of: words.length };
            const told = await api.settleWords(document, words.slice(at, at + PORTION), change);
            if (told.words) change = told.document.undo?.id ?? null;
            done += told.words;
            desk.apply(told);
          }
          if (words.length > 1) saying.say(`${counted(done, 'word')} settled`);
          if (done < words.length) notices.notify(`${counted(words.length - done, 'word')} had been changed elsewhere and stay as they are.`, 'refused');
        } catch (error) {
          failed = true;
          throw error;
        } finally {
          this.doing = null;
        }
      }),
    );
    if (failed) await this.again();
  }

  /** All anew, near to where one was. */
  async again(): Promise<void> {
    const at = this.at;
    await this.show(this.by);
    this.go(at);
  }
}

export const slips = new SlipSheet();
