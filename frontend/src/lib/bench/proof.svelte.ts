import { api, type Left } from '../api/client';
import { desk } from './desk.svelte';
import { remember, remembered } from './keys';
import { later } from './later';
import { notices } from './notices.svelte';

export const GOALS = [0.98, 0.99, 0.995, 0.998, 0.999, 1];
const SETTLES = 400; // milliseconds after the last change

/** How good the text is, as far as can be expected, and how good it is to be. */
export class Proof {
  goal = $state(Number(remembered('goal', '0.995')));
  private told = $state.raw<{ document: number; left: Left } | null>(null);

  /** What is told of a document; null until it is told. */
  leftOf(document: number | undefined): Left | null {
    return this.told !== null && this.told.document === document ? this.told.left : null;
  }

  aim(goal: number): void {
    this.goal = goal;
    remember('goal', String(goal));
    this.soon(0);
  }

  private asked: number | null = null;

  /** Ask anew: at once of a document that is come to, else once things have settled. */
  ask(): void {
    const fresh = desk.document?.id !== this.asked;
    this.asked = desk.document?.id ?? null;
    this.soon(fresh ? 0 : SETTLES);
  }

  private soon = later(SETTLES, () => {
    const id = desk.document?.id;
    if (id === undefined) return;
    void notices.attempt(async () => {
      const left = await api.left(id, this.goal);
      if (desk.document?.id === id) this.told = { document: id, left };
    });
  });
}

export const proof = new Proof();
