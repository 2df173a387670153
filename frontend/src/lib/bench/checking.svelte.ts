import { api, type OpenDoubt, type Operation, type Rule, type Standing, type ToJudge } from '../api/client';
import { desk } from './desk.svelte';
import { edits } from './edits.svelte';
import { remember, remembered } from './keys';
import { later } from './later';
import { notices } from './notices.svelte';
import { saying } from './saying.svelte';
import { inTurn } from './turns';

const SETTLES = 250; // milliseconds after the last change

/** How the document stands: findings, what a person must judge, and who does. */
export class Checking {
  rules = $state.raw<Map<string, Rule>>(new Map());
  standing = $state.raw<Standing | null>(null);
  toJudge = $state.raw<ToJudge[]>([]);
  at = $state(0);
  name = $state(remembered('name', ''));
  private signed = 0;

  /** Ask anew, once things have settled. */
  ask = later(SETTLES, () => {
    const id = desk.document?.id;
    if (id === undefined) return;
    void notices.attempt(async () => {
      if (!this.rules.size) this.rules = new Map((await api.rules()).map((r) => [r.id, r]));
      const before = this.signed;
      const [standing, toJudge] = await Promise.all([api.standing(id), api.judgements(id)]);
      if (desk.document?.id !== id) return;
      if (before !== this.signed) return this.ask(); // it tells of before what was signed meanwhile
      this.standing = standing;
      this.toJudge = toJudge;
      this.at = Math.min(this.at, Math.max(0, toJudge.length - 1));
    });
  });

  called(name: string): void {
    this.name = name.trim();
    remember('name', this.name);
  }

  get here(): ToJudge | undefined {
    return this.toJudge[this.at];
  }

  step(by: 1 | -1): void {
    if (this.toJudge.length) this.at = (this.at + by + this.toJudge.length) % this.toJudge.length;
  }

  /** What is in hand is right: signed off with the clerk's name; the next one is in hand at once. */
  async sign(): Promise<void> {
    const here = this.here, id = desk.document?.id;
    if (!here || id === undefined) return;
    if (!this.name) {
      notices.notify('Say first who you are: a sign-off has a name.', 'refused');
      return;
    }
    this.toJudge = this.toJudge.filter((j) => j !== here);
    this.at = Math.min(this.at, Math.max(0, this.toJudge.length - 1));
    saying.say(`Signed off; ${this.toJudge.length} to judge`);
    const mine = ++this.signed;
    await notices.attempt(async () => {
      try {
        // One after the other: the last answer tells of all.
        const told = await inTurn(() => api.signOff(id, { page: here.page_id, key: here.key, print: here.print, name: this.name }));
        if (mine === this.signed) this.standing = told;
      } catch (error) {
        this.ask(0);
        throw error;
      }
    });
  }

  /** Do what settles a finding. */
  async mend(doubt: OpenDoubt): Promise<void> {
    const mend = doubt.mend;
    if (!mend) return;
    if (mend.operation) await edits.edit(mend.operation as Operation, false, doubt.page_id);
    else if (mend.title) {
      const title = mend.title;
      await notices.attempt(async () => {
        desk.document = await desk.change((id, revision) => api.changeDocument(id, { revision, title }));
        await desk.refresh();
      });
    }
  }
}

export const checking = new Checking();
