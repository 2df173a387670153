<script lang="ts">
  import type { Style, Word } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { runsOf } from '../bench/words';
  import { keysOf, SETTINGS, writing } from '../bench/writing.svelte';

  /** How the word in hand is set, and what else may be done with it. */
  let { word, block, onlanguage, selected, onset, oncharacters, ondo }: {
    word: Word; block: string | null; onlanguage: (code: string) => void; selected: () => [number, number]; onset: (style: Style) => void; oncharacters: () => void; ondo: (what: 'break' | 'part' | 'beneath' | 'supplied') => void;
  } = $props();
  let marking = $state(false);
  const on = (style: Style) => {
    const [from, to] = selected();
    return !!word.style?.includes(style) || (word.parts ?? []).some((p) => p[2] === style && (from === to || (p[0] < to && p[1] > from)));
  };
  const runs = $derived((word.parts ?? []).length ? runsOf(word.text, word.style ?? [], word.parts ?? []) : []);
  const hold = (event: MouseEvent) => event.preventDefault(); // the field keeps its focus and selection
</script>

<div class="bar" role="toolbar" aria-label="How the word is set" tabindex="-1">
  {#each SETTINGS as s (s.style)}
    <button class={s.style} aria-label={s.name} title="{s.name} ({keysOf(s)}); of a selection, or the whole word" aria-pressed={on(s.style)} onmousedown={hold} onclick={() => onset(s.style)}>{s.sign}</button>
  {/each}
  {#if runs.length}<bdi class="as-set" aria-hidden="true">{#each runs as run, i (i)}<span class={run.style.join(' ')}>{run.text}</span>{/each}</bdi>{/if}
  <span class="space"></span>
  <select aria-label="Language of the word" title="Another language than the block's; Alt G says it of the word in hand and goes on to the next" value={word.language || block || ''} onchange={(e) => onlanguage(e.currentTarget.value)}>
    {#each about.languages as x (x.code)}<option value={x.code}>{x.name}</option>{/each}
  </select>
  <button title="Characters that the keyboard lacks (Alt C)" onmousedown={hold} onclick={oncharacters}>Ω</button>
  <button title="The line ends before this word (Ctrl Enter)" onmousedown={hold} onclick={() => ondo('break')}>Line ends</button>
  <button title="A new block begins with this line (Ctrl Shift Enter)" onmousedown={hold} onclick={() => ondo('part')}>New block</button>
  <button title="Put a line in beneath that was not read (Alt Enter; with Shift above)" onmousedown={hold} onclick={() => ondo('beneath')}>Line missing</button>
  <button title="Marks for what is illegible, uncertain, or no longer on the paper" aria-expanded={marking} onmousedown={hold} onclick={() => (marking = !marking)}>Marks…</button>
</div>
{#if marking}
  <div class="bar" role="group" aria-label="Marks">
    {#each [['illegible', 'Illegible', 'Alt I'], ['uncertain', 'Uncertain', 'Alt U'], ['supplied', 'Supplied', 'Alt S']] as [which, name, key] (which)}
      <label title="… stands for the word ({key})">{name} <input value={writing.marks[which as 'illegible']} onkeydown={(e) => e.stopPropagation()} onchange={(e) => writing.mark(which as 'illegible', e.currentTarget.value)} /></label>
    {/each}
  </div>
{/if}

<style>
  .bar { display: flex; flex-wrap: wrap; align-items: center; gap: 3px; padding: 3px 8px; border-top: 1px dashed var(--color-hair); }
  button { border: 1px solid var(--color-hair); border-radius: 4px; background: #fff; color: var(--color-ink); font-size: 14px; min-width: 28px; min-height: 26px; padding: 0 6px; white-space: nowrap; }
  button:hover { background: var(--color-lamp-100); }
  button[aria-pressed='true'] { background: var(--color-lamp-300); border-color: var(--color-primary-900); }
  select { padding: 1px 24px 1px 6px; font-size: 14px; border-radius: 4px; max-width: 9em; min-height: 26px; }
  label { font-size: 14px; display: flex; gap: 4px; align-items: center; }
  label input { width: 7em; border: 1px solid #7b8a86; border-radius: 4px; padding: 1px 5px; font-size: 14px; }
  .space { flex: 1; }
  .as-set { font-size: 17px; padding: 0 8px; }
  .bold { font-weight: 700; }
  .italic { font-style: italic; }
  .underlined { text-decoration: underline; }
  .struck { text-decoration: line-through; }
  span.superscript, span.subscript { font-size: 0.7em; }
  span.superscript { vertical-align: super; }
  span.subscript { vertical-align: sub; }
  span.small_capitals { font-variant: small-caps; }
</style>
