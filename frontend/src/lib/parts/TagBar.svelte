<script lang="ts">
  import { doubts } from '../bench/doubts.svelte';
  import { findRegion } from '../bench/content';
  import { desk } from '../bench/desk.svelte';
  import { headings } from '../bench/headings.svelte';
  import { selection } from '../bench/selection.svelte';
  import { shaping } from '../bench/shaping.svelte';
  import { counted } from '../bench/words';
  import Describing from './Describing.svelte';

  /** What is done to the structure besides giving roles. */
  const undescribed = $derived(doubts.list.filter((d) => d.kind === 'alternative').length);
  const region = $derived(findRegion(desk.page?.content, selection.region));
</script>

<div class="bar" role="toolbar" aria-label="Structure">
  <button title="All headings with their ink, and the bookmarks" onclick={() => void headings.show()}>Headings and bookmarks <span class="key">O</span></button>
  <button aria-pressed={shaping.tool === 'tie'} title="Draw a stroke between a caption and its picture or table" onclick={() => shaping.use('tie')}>Caption <span class="key">T</span></button>
  <button aria-pressed={shaping.tool === 'mark'} title={region ? 'A bookmark to the block in hand, named by its text' : 'Drag around the words that name it'} onclick={() => (region ? void headings.add({ region: region.id }) : shaping.use('mark'))}>Bookmark <span class="key">B</span></button>
  {#if undescribed}<button aria-pressed={shaping.describing} onclick={() => (shaping.describing = !shaping.describing)}>Describe {counted(undescribed, 'picture')} <span class="key">D</span></button>{/if}
</div>
{#if shaping.describing}<div class="card"><Describing onclose={() => (shaping.describing = false)} /></div>{/if}

<style>
  .bar { display: flex; flex-wrap: wrap; gap: 4px; padding: 6px 10px; border-bottom: 1px solid var(--color-hair); }
  button { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 1px 8px; font-size: 14px; min-height: 26px; }
  button[aria-pressed='true'] { background: var(--color-lamp-300); border-color: var(--color-primary-900); }
  .card { min-height: 0; overflow: auto; padding: 6px 10px; border-bottom: 1px solid var(--color-hair); }
</style>
