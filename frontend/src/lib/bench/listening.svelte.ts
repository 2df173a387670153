import { api, type Said } from '../api/client';
import { desk } from './desk.svelte';
import { remember, remembered } from './keys';
import { notices } from './notices.svelte';
import { saying } from './saying.svelte';

const PAGES = 4; // that are asked for at a time
const NEAR = 6; // stretches before the end at which more are asked for

/** The document as it is heard: played on, stepped through, followed on the screen. */
export class Listening {
  said = $state.raw<Said[]>([]);
  at = $state(-1);
  playing = $state(false);
  speed = $state(Number(remembered('speed', '165')));
  private following: number | null = null;
  private document = 0;
  private loading: Promise<void> | null = null;
  private sound: HTMLAudioElement | null = null;
  private turn = 0;

  get here(): Said | undefined {
    return this.said[this.at];
  }

  get open(): boolean {
    return this.at >= 0;
  }

  /** Begin at a page, or go on where it stopped. */
  async begin(page: number): Promise<void> {
    const id = desk.document?.id;
    if (id === undefined) return;
    if (this.document !== id || this.said[this.at] === undefined) {
      this.clear();
      this.document = id;
      this.following = page;
      await this.more();
      this.at = this.said.length ? 0 : -1;
    }
    if (this.open) void this.play();
    else notices.notify('There is nothing to be heard from here on.');
  }

  clear(): void {
    this.stop();
    this.said = [];
    this.at = -1;
    this.following = null;
  }

  stop(): void {
    this.turn++;
    this.playing = false;
    this.sound?.pause();
    this.sound = null;
  }

  faster(speed: number): void {
    this.speed = speed;
    remember('speed', String(speed));
    if (this.playing) void this.play();
  }

  /** To the next or the one before, of all or of one kind; what is heard is heard from there. */
  async step(by: 1 | -1, kinds: string[] = []): Promise<void> {
    const was = this.playing;
    for (let to = this.at + by; ; to += by) {
      if (to > this.said.length - 1) {
        if (this.following === null) return;
        await this.more();
        if (to > this.said.length - 1) return;
      }
      if (to < 0) return;
      const said = this.said[to]!;
      if (kinds.length && !kinds.includes(said.kind)) continue;
      this.at = to;
      saying.say(`${said.announced} ${said.text}`.trim());
      if (was) void this.play();
      else this.stop();
      return;
    }
  }

  private async play(): Promise<void> {
    this.stop();
    const mine = this.turn;
    this.playing = true;
    for (let next = this.load(this.said[this.at]); this.here && mine === this.turn; ) {
      const sound = await next;
      if (mine !== this.turn) return;
      if (this.at > this.said.length - NEAR && this.following !== null) await this.more();
      next = this.load(this.said[this.at + 1]);
      if (sound && !(await this.hear(sound))) break;
      if (mine !== this.turn) return;
      if (this.at + 1 >= this.said.length) break;
      this.at++;
    }
    if (mine === this.turn) this.playing = false;
  }

  private load(said: Said | undefined): Promise<HTMLAudioElement | null> {
    if (!said || !`${said.announced}${said.text}`.trim()) return Promise.resolve(null);
    const query = new URLSearchParams({ text: said.text.slice(0, 3900), language: said.language, announced: said.announced, speed: String(this.speed) });
    const sound = new Audio(`/api/speech?${query}`);
    sound.preload = 'auto';
    return Promise.resolve(sound);
  }

  /** True when it has been heard to its end. */
  private hear(sound: HTMLAudioElement): Promise<boolean> {
    this.sound = sound;
    return new Promise((done) => {
      sound.onended = () => done(true);
      sound.onpause = () => sound.ended || done(false);
      sound.onerror = () => {
        notices.notify('It cannot be spoken here; see whether espeak-ng is installed on the server.', 'refused');
        done(false);
      };
      sound.play().catch(() => done(false));
    });
  }

  private async more(): Promise<void> {
    this.loading ??= notices
      .attempt(async () => {
        const id = this.document, from = this.following;
        if (from === null) return;
        const part = await api.spoken(id, from, PAGES);
        if (this.document !== id) return;
        this.said = [...this.said, ...part.said];
        this.following = part.following;
      })
      .finally(() => (this.loading = null));
    await this.loading;
  }
}

export const listening = new Listening();
