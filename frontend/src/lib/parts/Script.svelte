<script lang="ts">
  import type { Region } from '../api/client';
  import { bench } from '../bench/bench.svelte';
  import Block from './Block.svelte';

  const regions = $derived(bench.page?.content?.regions ?? []);
  const artifacts = $derived(bench.page?.content?.artifacts ?? []);
  let dragged = $state<string | null>(null);
  let target = $state<string | null>(null);

  function drop(before: Region | null) {
    if (dragged && dragged !== before?.id) {
      void bench.edit({ op: 'move', region_id: dragged, before: before?.id ?? null }, 'Move block');
    }
    dragged = target = null;
  }
</script>

<section class="flex min-h-0 flex-1 flex-col" aria-label="Script">
  <header class="border-hair flex items-center gap-1 border-b px-3 py-1 text-sm">
    <h2 class="m-0 flex-1 text-base font-bold">Script</h2>
    <button class="turn" disabled={!bench.document?.undo} title={bench.document?.undo ? `Undo: ${bench.document.undo} (Ctrl Z)` : 'Nothing to undo'} onclick={() => void bench.turnBack('undo')}>↶ Undo</button>
    <button class="turn" disabled={!bench.document?.redo} title={bench.document?.redo ? `Redo: ${bench.document.redo} (Ctrl Shift Z)` : 'Nothing to redo'} onclick={() => void bench.turnBack('redo')}>Redo ↷</button>
  </header>
  <div class="min-h-0 flex-1 overflow-auto">
    {#if !bench.page?.content}
      <p class="text-quiet px-3">{bench.page ? 'This page has not been read yet.' : ''}</p>
    {:else if regions.length === 0 && artifacts.length === 0}
      <p class="text-quiet px-3">Nothing was found on this page.</p>
    {/if}
    <ol class="m-0 list-none p-0">
      {#each regions as region, i (`${bench.page?.id}.${region.id}`)}
        <li
          class:target={target === region.id} class:dragged={dragged === region.id} draggable={bench.region !== region.id}
          ondragstart={(e) => { dragged = region.id; e.dataTransfer?.setData('text/plain', region.id); }}
          ondragover={(e) => { if (dragged) { e.preventDefault(); target = region.id; } }}
          ondrop={(e) => { e.preventDefault(); drop(region); }} ondragend={() => (dragged = target = null)}
        ><Block {region} order={i + 1} /></li>
      {/each}
      {#if dragged}<li class="end" class:target={target === ''} ondragover={(e) => { e.preventDefault(); target = ''; }} ondrop={(e) => { e.preventDefault(); drop(null); }}>to the end</li>{/if}
    </ol>
    {#if artifacts.length}
      <details class="border-hair border-t" open={artifacts.some((a) => a.id === bench.region)}>
        <summary class="text-quiet cursor-pointer px-3 py-1 text-sm">Not read aloud ({artifacts.length})</summary>
        <ul class="m-0 list-none p-0">{#each artifacts as region (`${bench.page?.id}.${region.id}`)}<li><Block {region} order={null} /></li>{/each}</ul>
      </details>
    {/if}
  </div>
</section>

<style>
  .turn { border: 0; background: transparent; padding: 2px 6px; border-radius: 4px; color: var(--color-ink); }
  .turn:hover:not(:disabled) { background: var(--color-primary-50); }
  .turn:disabled { color: #697572; cursor: default; }
  li.target { box-shadow: inset 0 3px 0 var(--color-lamp-500); }
  li.dragged { opacity: 0.4; }
  .end { padding: 8px 12px; color: var(--color-quiet); border-top: 1px dashed var(--color-hair); }
</style>
