<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { about } from '../bench/about.svelte';
  import { edits } from '../bench/edits.svelte';
  import { linesOf, readAgain } from '../bench/content';
  import { tick, untrack } from 'svelte';
  import { ahead } from '../bench/ahead.svelte';
  import { apart, bared, manyOf } from '../bench/words';
  import { SETTINGS, writing } from '../bench/writing.svelte';
  import Palette from './Palette.svelte';
  import SettingBar from './SettingBar.svelte';
  import TextOverInk from './TextOverInk.svelte';
  import { finding } from '../bench/finding.svelte';
  import { notices } from '../bench/notices.svelte';
  import { api, type Line, type OpenDoubt, type Page, type Region, type Style, type Word } from '../api/client';
  
  let { page, region, index, scale, room, scrollLeft }: {
    page: Page; region: Region; index: number; scale: number; room: number; scrollLeft: number;
  } = $props();
  const PAD = 10;
  let typed = $state<Record<string, string>>({});
  // The page may be turned before a field is left; what was typed belongs to this one.
  const pageId = untrack(() => page.id);
  let fields: Record<string, HTMLInputElement> = {};
  let panel = $state<HTMLElement>();
  // What is offered comes a little later, and must not lie beyond the foot of the sheet.
  $effect(() => {
    if (!panel) return;
    const sized = new ResizeObserver(() => panel?.scrollIntoView({ block: 'nearest', inline: 'nearest' }));
    sized.observe(panel);
    return () => sized.disconnect();
  });

  const line = $derived(linesOf(region)[index]);
  const words = $derived(line?.words ?? []);
  const box = $derived<number[]>(line?.box ?? [0, 0, 1, 1]);
  const rtl = $derived(about.rightToLeft(region.language));
  /** Enlarged as far as the line fits the sheet's width, at most to about twice the size of the print. */
  const k = $derived(Math.min((room - 2 * PAD) / (box[2]! - box[0]! + 20), Math.max(scale * 1.9, 60 / (box[3]! - box[1]!))));
  const width = $derived((box[2]! - box[0]! + 20) * k + 2 * PAD);
  /** So much of the lines above and below is seen, dimmed. */
  const beyond = $derived(0.8 * (line?.height ?? 0));
  const height = $derived((box[3]! - box[1]! + 16 + 2 * beyond) * k);
  const left = $derived(Math.min(Math.max(box[0]! * scale - PAD, scrollLeft), scrollLeft + Math.max(0, room - width)));
  const doubts = $derived(new Map((desk.page?.doubts ?? []).filter((d) => d.word_id).map((d) => [d.word_id as string, d])));
  const unknown = $derived(new Set(page.unknown));
  const current = $derived(words.find((w) => w.id === selection.word) ?? words[0]);
  const again = $derived(current && readAgain(current));
  const reason = $derived(current ? doubts.get(current.id)?.reason : undefined);
  const value = (w: Word) => typed[w.id] ?? w.text;
  /** One size for the whole line: that in which most words are no wider than their ink. */
  const size = $derived.by(() => {
    const fits = words.map((w) => ((w.box[2] - w.box[0]) * k) / Math.max(1, w.text.length) / 0.54).sort((a, b) => a - b);
    return Math.max(14, Math.min(24, fits[Math.floor(fits.length * 0.3)] ?? 18));
  });
  const wide = (w: Word) => Math.max(22, (w.box[2] - w.box[0]) * k + 8, value(w).length * size * 0.56 + 8);
  const middle = (w: Word) => ((w.box[0] + w.box[2]) / 2 - box[0]! + 10) * k + PAD;

  /** Where the caret goes in the next word in hand; all of it is selected where nothing is said. */
  let caret: 'left' | 'right' | number | null = null;

  $effect(() => {
    const id = current?.id;
    if (id) void tick().then(() => {
      const field = fields[id];
      if (!field || palette !== null || field.contains(document.activeElement) || document.activeElement?.closest('[role="dialog"]')) return;
      field.focus({ preventScroll: true });
      place(field);
    });
  });

  /** A word that is come to is selected, so that typing writes it anew. */
  function place(field: HTMLInputElement) {
    const backwards = getComputedStyle(field).direction === 'rtl';
    const end = field.value.length;
    const at = caret === null ? null : typeof caret === 'number' ? caret : (caret === 'left') === backwards ? end : 0;
    caret = null;
    if (at === null) field.select();
    else field.setSelectionRange(at, at);
  }

  async function settle(word: Word, text = value(word).trim()) {
    delete typed[word.id];
    await edits.settleWord(pageId, word, text === word.text ? null : text);
  }

  const help = $derived(current ? ahead.helpFor(pageId, current.id, current.text) : undefined);
  $effect(() => {
    const word = current;
    if (word) untrack(() => ahead.fetch([{ page_id: pageId, word_id: word.id, text: word.text } as OpenDoubt], () => page.revision));
  });

  /** A suggestion by its digit; a plain digit only where nobody would type one. */
  function suggested(event: KeyboardEvent, word: Word): string | undefined {
    const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1];
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey && !event.shiftKey;
    if (!digit || (plain && (typed[word.id] !== undefined || /\d/.test(word.text) || word.state === 'corrected')) || (!plain && !event.altKey)) return undefined;
    return reason ? help?.suggestions[Number(digit) - 1] : undefined;
  }

  async function addToList(word: Word, list: number) {
    await notices.attempt(async () => {
      await api.addWords(list, [word.text]);
      notices.notify(`“${word.text}” is on the list of ${list ? 'this batch' : 'all batches'}`);
    });
    await settle(word, word.text);
  }

  /** The places that say what was misread last; where nothing was, what this word says. */
  function showKin(word: Word) {
    const { read, meant } = edits.kin ? { read: edits.kin.read, meant: edits.kin.text } : bared(word.text, value(word).trim());
    finding.show(read, meant === read ? '' : meant);
  }

  /** Leaving a field keeps what was typed there. */
  async function leave(word: Word) {
    const text = value(word).trim();
    if (text === word.text || text === '') return;
    delete typed[word.id];
    if (!(await edits.edit({ op: 'set_word', word_id: word.id, text }, false, pageId))) typed[word.id] = text;
  }

  let palette = $state<{ word: string; at: number; letter: string } | null>(null);

  const selected = (): [number, number] => {
    const field = current && fields[current.id];
    return field ? [field.selectionStart ?? 0, field.selectionEnd ?? 0] : [0, 0];
  };

  async function set(word: Word, style: Style) {
    const [from, to] = selected();
    await leave(word);
    const now = words.find((w) => w.id === word.id);
    caret = to;
    if (now) await writing.set(pageId, now, style, from, to);
  }

  function openPalette(word: Word) {
    const [from, to] = selected();
    const typedText = value(word);
    const at = to > from && to - from === typedText.length && typedText.length > 1 ? typedText.length : to;
    palette = { word: word.id, at, letter: typedText[at - 1] ?? '' };
  }

  function pick(character: string, instead: boolean) {
    const open = palette, word = words.find((w) => w.id === open?.word);
    palette = null;
    if (!open || !word) return;
    const text = value(word);
    const from = instead ? open.at - 1 : open.at;
    typed[word.id] = text.slice(0, from) + character + text.slice(open.at);
    const field = fields[word.id];
    void tick().then(() => {
      field?.focus({ preventScroll: true });
      field?.setSelectionRange(from + character.length, from + character.length);
    });
  }

  function closePalette() {
    const open = palette;
    palette = null;
    if (open) fields[open.word]?.focus({ preventScroll: true });
  }

  /** The caret leaves a word at its side and goes on in the one beside it, as it is seen. */
  function beside(event: KeyboardEvent, word: Word): boolean {
    const field = event.currentTarget as HTMLInputElement;
    const toLeft = event.key === 'ArrowLeft';
    if (event.shiftKey || event.ctrlKey || event.altKey || field.selectionStart !== field.selectionEnd) return false;
    const backwards = getComputedStyle(field).direction === 'rtl';
    if (field.selectionStart !== (toLeft === backwards ? field.value.length : 0)) return false;
    const x = (w: Word) => w.box[0] + w.box[2];
    const others = words.filter((w) => (toLeft ? x(w) < x(word) : x(w) > x(word))).sort((a, b) => Math.abs(x(a) - x(word)) - Math.abs(x(b) - x(word)));
    if (!others[0]) return false;
    caret = toLeft ? 'right' : 'left';
    void leave(word);
    selection.select(region.id, others[0].id, true);
    return true;
  }

  /** The line above or beneath, at the word nearest to this one. */
  function otherLine(by: 1 | -1, word: Word) {
    const level = (l: Line) => (l.baseline[0]![1] + l.baseline[1]![1]) / 2;
    const x = (w: Word) => (w.box[0] + w.box[2]) / 2;
    const here = level(line!);
    const lines = (page.content?.regions ?? []).flatMap((r) => linesOf(r).map((l) => ({ region: r, line: l })));
    const beyond = lines.filter((o) => o.line.words.length && (level(o.line) - here) * by > line!.height * 0.4 && Math.min(o.line.box[2], box[2]!) > Math.max(o.line.box[0], box[0]!));
    const next = beyond.sort((a, b) => Math.abs(level(a.line) - here) - Math.abs(level(b.line) - here))[0];
    if (!next) return;
    void leave(word);
    const near = [...next.line.words].sort((a, b) => Math.abs(x(a) - x(word)) - Math.abs(x(b) - x(word)))[0]!;
    selection.select(next.region.id, near.id, true);
  }

  /** Backspace before a word's first letter and Delete after its last one join it, or its line, with the next. */
  function joins(event: KeyboardEvent, word: Word): boolean {
    const field = event.currentTarget as HTMLInputElement;
    const back = event.key === 'Backspace';
    if (event.ctrlKey || event.altKey || field.selectionStart !== field.selectionEnd || field.selectionStart !== (back ? 0 : field.value.length)) return false;
    const at = words.indexOf(word);
    const other = words[back ? at - 1 : at + 1];
    const joint = back ? (other?.text.length ?? 0) : field.value.length;
    void leave(word).then(() => {
      const now = (w: Word | undefined) => words.find((o) => o.id === w?.id);
      if (other) {
        caret = joint;
        const pair = back ? [now(other), now(word)] : [now(word), now(other)];
        if (pair[0] && pair[1]) void writing.join(pageId, [pair[0], pair[1]]);
        return;
      }
      const first = back ? linesOf(region)[index - 1]?.words[0] : word;
      caret = back ? 0 : null;
      if (first) void writing.change(pageId, { op: 'join_lines', word_id: first.id }, word.id);
    });
    return true;
  }

  function act(what: 'break' | 'part' | 'beneath' | 'above' | 'supplied' | 'merge', word: Word) {
    void leave(word).then(() => {
      if (what === 'break') void writing.change(pageId, { op: 'break_line', word_id: word.id }, word.id);
      else if (what === 'part') void writing.part(pageId, region.id, index, word.id);
      else if (what === 'merge') void writing.joinBlock(pageId, region.id, word.id);
      else if (what === 'supplied') void settle(word, writing.marks.supplied.replace('…', value(word).trim()));
      else void writing.propose(pageId, region.id, what === 'above' ? index - 1 : index);
    });
  }

  /** The word is in a language; with `onwards` the next word is taken in hand. */
  function sayIn(word: Word, language: string, onwards = false) {
    if (!language) return;
    void leave(word).then(() => {
      const next = onwards ? words[words.findIndex((w) => w.id === word.id) + 1] : undefined;
      void writing.change(pageId, { op: 'set_word_language', word_ids: [word.id], language }, next?.id ?? word.id);
    });
  }

  function onKey(event: KeyboardEvent, word: Word) {
    const taken = suggested(event, word);
    const alt = event.altKey && !event.ctrlKey ? event.code : '';
    const setting = event.ctrlKey && !event.altKey ? SETTINGS.find((s) => s.code === event.code && s.shift === event.shiftKey) : undefined;
    if (taken !== undefined) void settle(word, taken);
    else if (setting) void set(word, setting.style);
    else if (event.ctrlKey && event.key.toLowerCase() === 'z' && !event.shiftKey && typed[word.id] === undefined) void edits.undo();
    else if (alt === 'KeyI') void settle(word, writing.marks.illegible.replace('…', value(word).trim()));
    else if (alt === 'KeyU') void settle(word, writing.marks.uncertain.replace('…', value(word).trim()));
    else if (alt === 'KeyS') act('supplied', word);
    else if (alt === 'KeyC') openPalette(word);
    else if (alt === 'KeyA') writing.toggleBar();
    else if (alt === 'KeyB') writing.compare();
    else if (alt === 'KeyG') sayIn(word, writing.language, true);
    else if (alt === 'KeyL') void addToList(word, event.shiftKey ? 0 : (desk.document?.batch_id ?? 0));
    else if (alt === 'KeyK') showKin(word);
    else if (event.key === 'Enter' && event.ctrlKey) act(event.shiftKey ? 'part' : 'break', word);
    else if (event.key === 'Enter' && event.altKey) act(event.shiftKey ? 'above' : 'beneath', word);
    else if (event.key === 'Backspace' && event.altKey) act('merge', word);
    else if (event.key === 'Enter') void settle(word);
    else if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && !event.altKey && !event.ctrlKey) otherLine(event.key === 'ArrowDown' ? 1 : -1, word);
    else if ((event.key === 'ArrowLeft' || event.key === 'ArrowRight') && beside(event, word)) {
      // done there
    } else if ((event.key === 'Backspace' || event.key === 'Delete') && joins(event, word)) {
      // done there
    } else if (event.key === 'Escape') {
      delete typed[word.id];
      selection.lifted = false;
    } else if (event.key === ']' && event.altKey) void edits.step(1);
    else if (event.key === '[' && event.altKey) void edits.step(-1);
    else if (event.key === 'PageDown' || event.key === 'PageUp') void leave(word).then(() => view.turn(event.key === 'PageDown' ? 1 : -1));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

{#if line && words.length}
  <div bind:this={panel} class="lifted" data-lifted style:left="{left}px" style:top="{(box[1]! - 8) * scale - 6 - beyond * k}px" style:width="{width}px" role="group" aria-label="Line in hand">
    <div class="ink" style:height="{height}px" style:margin="0 {PAD}px"
      style:background-image="url({page.cleaned})" style:background-size="{(page.content?.width ?? 0) * k}px {(page.content?.height ?? 0) * k}px"
      style:background-position="{-(box[0]! - 10) * k}px {-(box[1]! - 8 - beyond) * k}px">
      <span class="veil" style:height="{beyond * k}px"></span><span class="veil foot-veil" style:height="{beyond * k}px"></span>
      {#if writing.over}
        <svg class="over" viewBox="{box[0]! - 10} {box[1]! - 8 - beyond} {box[2]! - box[0]! + 20} {height / k}" style:height="{height}px" style:width="{width - 2 * PAD}px" preserveAspectRatio="xMinYMin meet">{#if page.content}<TextOverInk content={page.content} only={{ region, line }} />{/if}</svg>
      {/if}
      {#if current}
        <span class="here" style:left="{(current.box[0] - box[0]! + 10) * k - 3}px" style:width="{(current.box[2] - current.box[0]) * k + 6}px"></span>
      {/if}
    </div>
    <div class="words" dir={rtl ? 'rtl' : 'ltr'}>
      {#each words as w (w.id)}
        <input
          bind:this={fields[w.id]} value={value(w)} lang={about.languageTag(region.language)} aria-label="Word read as {w.text}" spellcheck="false" autocomplete="off"
          class:doubtful={doubts.has(w.id)} class:unknown={unknown.has(w.id) && typed[w.id] === undefined} class:corrected={w.state === 'corrected'} class:here={w.id === current?.id} class:bold={w.style?.includes('bold')} class:italic={w.style?.includes('italic')} class:underlined={w.style?.includes('underlined')} class:struck={w.style?.includes('struck')} class:small_capitals={w.style?.includes('small_capitals')}
          dir="auto" style:left="{middle(w) - wide(w) / 2}px" style:width="{wide(w)}px" style:font-size="{size}px"
          oninput={(e) => (typed[w.id] = e.currentTarget.value)} onfocus={() => selection.select(region.id, w.id, true)}
          onblur={() => void leave(w)} onkeydown={(e) => onKey(e, w)}
        />
      {/each}
    </div>
    {#if current && reason && help?.suggestions.length}
      <div class="offers" role="group" aria-label="It may be" dir={rtl ? 'rtl' : 'ltr'}>
        {#each help.suggestions as offer, i (offer)}
          {@const d = apart(current.text, offer)}
          <button lang={about.languageTag(region.language)} title="Take it ({i + 1}, or Alt {i + 1} while typing)" onmousedown={(e) => e.preventDefault()} onclick={() => void settle(current, offer)}><span class="key">{i + 1}</span> <bdi>{d.start}<b>{d.there}</b>{d.end}</bdi></button>
        {/each}
        {#if again}<span class="again">read again: “<bdi>{again}</bdi>”</span>{/if}
      </div>
    {/if}
    {#if current && palette?.word === current.id}<Palette letter={palette.letter} language={region.language ?? null} onpick={pick} onclose={closePalette} />{/if}
    {#if current && writing.bar}<SettingBar word={current} block={region.language ?? null} onlanguage={(code) => { writing.language = code; if (current) sayIn(current, code); }} {selected} onset={(style) => current && void set(current, style)} oncharacters={() => current && openPalette(current)} ondo={(what) => current && act(what, current)} />{/if}
    <div class="foot">
      <span class="why">{reason ?? (current?.state === 'corrected' ? 'Corrected by hand.' : current?.state === 'accepted' ? 'Accepted as read.' : 'No doubt here.')}</span>
      {#if help?.kin && current}<button title="See the other places that say this, with their ink, and correct them (Alt K)" onmousedown={(e) => e.preventDefault()} onclick={() => showKin(current)}>{manyOf(help.kin)} alike</button>{/if}
      <!-- Pressing keeps the field's focus, so that nothing is sent twice. -->
      <button onmousedown={(e) => e.preventDefault()} onclick={() => current && void settle(current)}>{current && value(current).trim() !== current.text ? 'Correct' : 'Accept'} <span class="key">Enter</span></button>
      <button title="Goes on and leaves the doubt (Alt ])" onmousedown={(e) => e.preventDefault()} onclick={() => void edits.step(1)}>Skip</button>
      <button title="How the word is set, lines and blocks, marks (Alt A)" aria-label="More" aria-expanded={writing.bar} onmousedown={(e) => e.preventDefault()} onclick={() => writing.toggleBar()}>Aa</button>
      <button class="close" aria-label="Put the line down (Esc)" onmousedown={(e) => e.preventDefault()} onclick={() => (selection.lifted = false)}>✕</button>
    </div>
  </div>
{/if}

<style>
  .lifted { position: absolute; z-index: 5; min-width: 460px; background: #fffdf7; border: 2px solid var(--color-primary-900); border-radius: 8px; box-shadow: 0 10px 34px #0006; overflow: hidden; padding-top: 6px; }
  .ink { position: relative; background-repeat: no-repeat; }
  .ink .here { position: absolute; top: 0; bottom: 0; background: #e09a2e2e; border-bottom: 3px solid var(--color-lamp-500); }
  .veil { position: absolute; left: 0; right: 0; top: 0; background: #fffdf7a8; }
  .veil.foot-veil { top: auto; bottom: 0; }
  .offers { display: flex; flex-wrap: wrap; gap: 4px; padding: 3px 8px 5px; border-top: 1px dashed var(--color-hair); }
  .offers button { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; color: var(--color-ink); padding: 1px 8px; font-size: 15px; }
  .offers b { text-decoration: underline; text-decoration-thickness: 2px; text-underline-offset: 3px; }
  .again { font-size: 14px; color: var(--color-quiet); align-self: center; }
  .over { position: absolute; left: 0; top: 0; }
  .words input.unknown { text-decoration: underline wavy #b4610b 1px; text-underline-offset: 4px; }
  .words input.bold { font-weight: 700; }
  .words input.italic { font-style: italic; }
  .words input.underlined { text-decoration: underline; }
  .words input.struck { text-decoration: line-through; }
  .words input.small_capitals { font-variant: small-caps; }
  .offers button:hover { background: var(--color-lamp-100); }
  .words { position: relative; height: 42px; border-top: 1px dashed var(--color-hair); }
  .words input { position: absolute; top: 3px; height: 36px; padding: 0 4px; border: 0; border-bottom: 2px solid transparent; background: transparent; color: var(--color-ink); font-family: var(--font-sans); text-align: center; border-radius: 3px; }
  .words input.doubtful { border-bottom: 3px dashed #b4610b; }
  .words input.corrected { border-bottom: 2px solid var(--color-primary-500); }
  .words input.here { background: #fff; outline: 2px solid var(--color-lamp-500); z-index: 1; }
  .foot { display: flex; flex-wrap: wrap; align-items: center; gap: 4px 12px; background: var(--color-primary-900); color: var(--color-paper); padding: 4px 10px; font-size: 14px; }
  .foot .why { flex: 1 1 22rem; min-width: 0; }
  .foot button { background: var(--color-primary-600); color: #fff; border: 0; border-radius: 5px; padding: 3px 10px; white-space: nowrap; }
  .foot button:hover { background: var(--color-primary-500); }
  .foot .close { background: transparent; padding: 3px 6px; }
</style>
