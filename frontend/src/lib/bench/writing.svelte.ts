import { api, type Box, type Characters, type Operation, type Style, type Word } from '../api/client';
import { desk } from './desk.svelte';
import { edits } from './edits.svelte';
import { findRegion, findWord, linesOf } from './content';
import { remember, remembered } from './keys';
import { notices } from './notices.svelte';
import { selection } from './selection.svelte';

/** How text is set, by the key that sets it with Ctrl. */
export const SETTINGS: { style: Style; name: string; sign: string; code: string; shift: boolean }[] = [
  { style: 'bold', name: 'Bold', sign: 'B', code: 'KeyB', shift: false },
  { style: 'italic', name: 'Italic', sign: 'I', code: 'KeyI', shift: false },
  { style: 'underlined', name: 'Underlined', sign: 'U', code: 'KeyU', shift: false },
  { style: 'struck', name: 'Struck out', sign: 'S', code: 'KeyX', shift: true },
  { style: 'superscript', name: 'Raised', sign: 'x²', code: 'Period', shift: false },
  { style: 'subscript', name: 'Lowered', sign: 'x₂', code: 'Comma', shift: false },
  { style: 'small_capitals', name: 'Small capitals', sign: 'Sᴄ', code: 'KeyK', shift: true },
  { style: 'larger', name: 'Larger', sign: 'A+', code: 'Period', shift: true },
  { style: 'smaller', name: 'Smaller', sign: 'A−', code: 'Comma', shift: true },
];
export const keysOf = (s: { code: string; shift: boolean }) => `Ctrl ${s.shift ? 'Shift ' : ''}${s.code === 'Period' ? '.' : s.code === 'Comma' ? ',' : s.code.slice(3)}`;

export type Compared = 'ink' | 'text' | 'blinking';
const BLINKS = 650; // milliseconds

/** A line that was not read: where it is put in, and its place on the ink. */
export type NewLine = { page: number; region: string; after: number; box: Box };

/** What is written beyond a word's letters: how it is set, where words and lines end, lines put in; and how text and ink are compared. */
export class Writing {
  newLine = $state<NewLine | null>(null);
  compared = $state<Compared>('ink');
  /** Whether text lies over the ink just now. */
  over = $state(false);
  bar = $state(remembered('setting-bar', '') === 'open');
  /** The clerk's own marks; in that of what is supplied, … stands for the word. */
  marks = $state<{ illegible: string; uncertain: string; supplied: string }>({ illegible: '[...]', uncertain: '…[?]', supplied: '[…]', ...JSON.parse(remembered('marks', '{}')) });
  /** The language that a word was last said to be in. */
  language = $state('');
  characters = $state<Characters | null>(null);
  private blink: ReturnType<typeof setInterval> | null = null;

  toggleBar(): void {
    this.bar = !this.bar;
    remember('setting-bar', this.bar ? 'open' : '');
  }

  mark(which: 'illegible' | 'uncertain' | 'supplied', text: string): void {
    this.marks = { ...this.marks, [which]: text };
    remember('marks', JSON.stringify(this.marks));
  }

  /** Ink, text over it, both in turn. */
  compare(): void {
    const turns: Compared[] = ['ink', 'text', 'blinking'];
    this.compared = turns[(turns.indexOf(this.compared) + 1) % turns.length]!;
    if (this.blink) clearInterval(this.blink);
    this.blink = null;
    this.over = this.compared !== 'ink';
    if (this.compared === 'blinking') this.blink = setInterval(() => (this.over = !this.over), BLINKS);
  }

  async needCharacters(): Promise<void> {
    const languages = [...new Set([...(desk.page?.languages ?? []), ...(desk.document?.languages ?? [])])].filter((l) => l !== 'auto');
    if (this.characters && languages.every((l) => l in this.characters!.languages)) return;
    await notices.attempt(async () => {
      this.characters = await api.characters(languages);
    });
  }

  /** Make a change of words or lines, then take a word in hand; keys that come meanwhile are kept for it. */
  async change(page: number, operation: Operation, then: string | null): Promise<boolean> {
    let done = false;
    await edits.moving(async () => {
      done = await edits.edit(operation, false, page);
      const found = findWord(desk.page?.content, then);
      if (done && found) selection.select(found.region.id, found.word.id, true);
    });
    return done;
  }

  join(page: number, words: Word[]): Promise<boolean> {
    return this.change(page, { op: 'join_words', word_ids: words.map((w) => w.id) }, words[0]?.id ?? null);
  }

  /** A style on or off: of some letters, or of the whole word. */
  async set(page: number, word: Word, style: Style, from: number, to: number): Promise<void> {
    const whole = from === to || (from === 0 && to === word.text.length);
    const on = whole ? !word.style?.includes(style) : !(word.style?.includes(style) || (word.parts ?? []).some((p) => p[2] === style && p[0] <= from && p[1] >= to));
    await this.change(page, { op: 'set_style', word_ids: [word.id], style, on, ...(whole ? {} : { start: from, end: to }) }, word.id);
  }

  /** Put a line in beneath one of a block, or above its first one; the likeliest place is proposed. */
  async propose(page: number, region: string, after: number): Promise<void> {
    const told = findRegion(desk.page?.content, region);
    if (!told || told.kind !== 'text') {
      notices.notify('A line can be put into a text; of a table type into its cells.', 'refused');
      return;
    }
    await notices.attempt(async () => {
      const { box } = await api.beneath(page, region, after);
      selection.lifted = false;
      this.newLine = { page, region, after, box };
    });
  }

  async putIn(text: string): Promise<void> {
    const line = this.newLine;
    if (!line || !text.trim()) return;
    const known = new Set(linesOf(findRegion(desk.page?.content, line.region)!).flatMap((l) => l.words.map((w) => w.id)));
    if (!(await edits.edit({ op: 'insert_line', region_id: line.region, after: line.after, text, box: line.box }, false, line.page))) return;
    this.newLine = null;
    const region = findRegion(desk.page?.content, line.region);
    const fresh = region && linesOf(region).flatMap((l) => l.words).find((w) => !known.has(w.id));
    if (region && fresh) selection.select(region.id, fresh.id, true);
  }

  /** Another block begins with a line, or goes on with the one before. */
  async part(page: number, region: string, line: number, word: string): Promise<void> {
    await this.change(page, { op: 'part_block', region_id: region, line }, word);
  }

  async joinBlock(page: number, region: string, word: string): Promise<void> {
    const regions = desk.page?.content?.regions ?? [];
    const at = regions.findIndex((r) => r.id === region);
    const before = regions[at - 1];
    if (!before) notices.notify('There is no block before it on this page.', 'refused');
    else await this.change(page, { op: 'merge_regions', region_ids: [before.id, region] }, word);
  }
}

export const writing = new Writing();
