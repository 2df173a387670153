<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { about } from '../bench/about.svelte';
  import { edits } from '../bench/edits.svelte';
  import { linesOf } from '../bench/content';
  import { tick, untrack } from 'svelte';
  import type { Page, Region, Word } from '../api/client';
  
  let { page, region, index, scale, room, scrollLeft }: {
    page: Page; region: Region; index: number; scale: number; room: number; scrollLeft: number;
  } = $props();
  const PAD = 10;
  let everywhere = $state(false);
  let typed = $state<Record<string, string>>({});
  // The page may be turned before a field is left; what was typed belongs to this one.
  const pageId = untrack(() => page.id);
  let fields: Record<string, HTMLInputElement> = {};

  const line = $derived(linesOf(region)[index]);
  const words = $derived(line?.words ?? []);
  const box = $derived<number[]>(line?.box ?? [0, 0, 1, 1]);
  const rtl = $derived(about.rightToLeft(region.language));
  /** Enlarged as far as the line fits the sheet's width, at most to about twice the size of the print. */
  const k = $derived(Math.min((room - 2 * PAD) / (box[2]! - box[0]! + 20), Math.max(scale * 1.9, 60 / (box[3]! - box[1]!))));
  const width = $derived((box[2]! - box[0]! + 20) * k + 2 * PAD);
  const height = $derived((box[3]! - box[1]! + 16) * k);
  const left = $derived(Math.min(Math.max(box[0]! * scale - PAD, scrollLeft), scrollLeft + Math.max(0, room - width)));
  const doubts = $derived(new Map((desk.page?.doubts ?? []).filter((d) => d.word_id).map((d) => [d.word_id as string, d])));
  const current = $derived(words.find((w) => w.id === selection.word) ?? words[0]);
  const reason = $derived(current ? doubts.get(current.id)?.reason : undefined);
  const value = (w: Word) => typed[w.id] ?? w.text;
  /** One size for the whole line: that in which most words are no wider than their ink. */
  const size = $derived.by(() => {
    const fits = words.map((w) => ((w.box[2] - w.box[0]) * k) / Math.max(1, w.text.length) / 0.54).sort((a, b) => a - b);
    return Math.max(14, Math.min(24, fits[Math.floor(fits.length * 0.3)] ?? 18));
  });
  const wide = (w: Word) => Math.max(22, (w.box[2] - w.box[0]) * k + 8, value(w).length * size * 0.56 + 8);
  const middle = (w: Word) => ((w.box[0] + w.box[2]) / 2 - box[0]! + 10) * k + PAD;

  $effect(() => {
    const id = current?.id;
    if (id) void tick().then(() => {
      if (document.activeElement !== fields[id]) fields[id]?.focus({ preventScroll: true });
    });
  });

  async function settle(word: Word) {
    const text = value(word).trim();
    const wide = everywhere;
    await edits.settleThenNext(() =>
      text === word.text
        ? edits.edit({ op: 'accept_word', word_id: word.id }, false, pageId)
        : edits.edit({ op: 'set_word', word_id: word.id, text }, wide, pageId),
    );
    everywhere = false;
  }

  /** Leaving a field keeps what was typed there. */
  async function leave(word: Word) {
    const text = value(word).trim();
    if (text === word.text || text === '') return;
    delete typed[word.id];
    if (!(await edits.edit({ op: 'set_word', word_id: word.id, text }, false, pageId))) typed[word.id] = text;
  }

  function onKey(event: KeyboardEvent, word: Word) {
    if (event.key === 'Enter') void settle(word);
    else if (event.key === 'Escape') {
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
  <div class="lifted" data-lifted style:left="{left}px" style:top="{(box[1]! - 8) * scale - 6}px" style:width="{width}px" role="group" aria-label="Line in hand">
    <div class="ink" style:height="{height}px" style:margin="0 {PAD}px"
      style:background-image="url({page.cleaned})" style:background-size="{(page.content?.width ?? 0) * k}px {(page.content?.height ?? 0) * k}px"
      style:background-position="{-(box[0]! - 10) * k}px {-(box[1]! - 8) * k}px">
      {#if current}
        <span class="here" style:left="{(current.box[0] - box[0]! + 10) * k - 3}px" style:width="{(current.box[2] - current.box[0]) * k + 6}px"></span>
      {/if}
    </div>
    <div class="words" dir={rtl ? 'rtl' : 'ltr'}>
      {#each words as w (w.id)}
        <input
          bind:this={fields[w.id]} value={value(w)} lang={about.languageTag(region.language)} aria-label="Word read as {w.text}" spellcheck="false" autocomplete="off"
          class:doubtful={doubts.has(w.id)} class:corrected={w.state === 'corrected'} class:here={w.id === current?.id}
          style:left="{middle(w) - wide(w) / 2}px" style:width="{wide(w)}px" style:font-size="{size}px"
          oninput={(e) => (typed[w.id] = e.currentTarget.value)} onfocus={() => selection.select(region.id, w.id, true)}
          onblur={() => void leave(w)} onkeydown={(e) => onKey(e, w)}
        />
      {/each}
    </div>
    <div class="foot">
      <span class="why">{reason ?? (current?.state === 'corrected' ? 'Corrected by hand.' : current?.state === 'accepted' ? 'Accepted as read.' : 'No doubt here.')}</span>
      <label><input type="checkbox" bind:checked={everywhere} onmousedown={(e) => e.preventDefault()} /> correct everywhere</label>
      <!-- Pressing keeps the field's focus, so that nothing is sent twice. -->
      <button onmousedown={(e) => e.preventDefault()} onclick={() => current && void settle(current)}>{current && value(current).trim() !== current.text ? 'Correct' : 'Accept'} <span class="key">Enter</span></button>
      <button onmousedown={(e) => e.preventDefault()} onclick={() => void edits.step(1)}>Next doubt</button>
      <button class="close" aria-label="Put the line down (Esc)" onmousedown={(e) => e.preventDefault()} onclick={() => (selection.lifted = false)}>✕</button>
    </div>
  </div>
{/if}

<style>
  .lifted { position: absolute; z-index: 5; min-width: 460px; background: #fffdf7; border: 2px solid var(--color-primary-900); border-radius: 8px; box-shadow: 0 10px 34px #0006; overflow: hidden; padding-top: 6px; }
  .ink { position: relative; background-repeat: no-repeat; }
  .ink .here { position: absolute; top: 0; bottom: 0; background: #e09a2e2e; border-bottom: 3px solid var(--color-lamp-500); }
  .words { position: relative; height: 42px; border-top: 1px dashed var(--color-hair); }
  .words input { position: absolute; top: 3px; height: 36px; padding: 0 4px; border: 0; border-bottom: 2px solid transparent; background: transparent; color: var(--color-ink); font-family: var(--font-sans); text-align: center; border-radius: 3px; }
  .words input.doubtful { border-bottom: 3px dashed #b4610b; }
  .words input.corrected { border-bottom: 2px solid var(--color-primary-500); }
  .words input.here { background: #fff; outline: 2px solid var(--color-lamp-500); z-index: 1; }
  .foot { display: flex; align-items: center; gap: 12px; background: var(--color-primary-900); color: var(--color-paper); padding: 4px 10px; font-size: 14px; }
  .foot .why { flex: 1; min-width: 0; }
  .foot label { display: flex; gap: 6px; align-items: center; white-space: nowrap; }
  .foot button { background: var(--color-primary-600); color: #fff; border: 0; border-radius: 5px; padding: 3px 10px; white-space: nowrap; }
  .foot button:hover { background: var(--color-primary-500); }
  .foot .close { background: transparent; padding: 3px 6px; }
</style>
