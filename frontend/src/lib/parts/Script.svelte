<script lang="ts">
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { edits } from '../bench/edits.svelte';
  import type { Region } from '../api/client';
  import { untrack } from 'svelte';
  import { afterPaint } from '../bench/later';
  import Block from './Block.svelte';

  /** The page whose blocks stand here: when it is turned, the sheet and the line in hand are painted first. */
  let page = $state.raw(desk.page);
  $effect(() => {
    const now = desk.page;
    if (!now || now.id === untrack(() => page?.id)) page = now;
    else return afterPaint(() => (page = now));
  });
  const regions = $derived(page?.content?.regions ?? []);
  const artifacts = $derived(page?.content?.artifacts ?? []);
  let dragged = $state<string | null>(null);
  let target = $state<string | null>(null);

  function drop(before: Region | null) {
    if (dragged && dragged !== before?.id) {
      void edits.edit({ op: 'move', region_id: dragged, before: before?.id ?? null });
    }
    dragged = target = null;
  }
</script>

<section class="flex min-h-0 flex-1 flex-col" aria-label="Script">
  <header class="border-hair flex items-center gap-1 border-b px-3 py-1 text-sm">
    <h2 class="m-0 flex-1 text-base font-bold">Script</h2>
  </header>
  <div class="min-h-0 flex-1 overflow-auto" inert={page?.id !== desk.page?.id}>
    {#if !page?.content}
      <p class="text-quiet px-3">{page ? 'This page has not been read yet.' : ''}</p>
    {:else if regions.length === 0 && artifacts.length === 0}
      <p class="text-quiet px-3">Nothing was found on this page.</p>
    {/if}
    <ol class="m-0 list-none p-0">
      {#each regions as region, i (`${page?.id}.${region.id}`)}
        <li
          class:target={target === region.id} class:dragged={dragged === region.id} draggable={selection.region !== region.id}
          ondragstart={(e) => { dragged = region.id; e.dataTransfer?.setData('text/plain', region.id); }}
          ondragover={(e) => { if (dragged) { e.preventDefault(); target = region.id; } }}
          ondrop={(e) => { e.preventDefault(); drop(region); }} ondragend={() => (dragged = target = null)}
        ><Block {region} order={i + 1} /></li>
      {/each}
      {#if dragged}<li class="end" class:target={target === ''} ondragover={(e) => { e.preventDefault(); target = ''; }} ondrop={(e) => { e.preventDefault(); drop(null); }}>to the end</li>{/if}
    </ol>
    {#if artifacts.length}
      <details class="border-hair border-t" open={artifacts.some((a) => a.id === selection.region)}>
        <summary class="text-quiet cursor-pointer px-3 py-1 text-sm">Not read aloud ({artifacts.length})</summary>
        <ul class="m-0 list-none p-0">{#each artifacts as region (`${page?.id}.${region.id}`)}<li><Block {region} order={null} /></li>{/each}</ul>
      </details>
    {/if}
  </div>
</section>

<style>
  li.target { box-shadow: inset 0 3px 0 var(--color-lamp-500); }
  li.dragged { opacity: 0.4; }
  .end { padding: 8px 12px; color: var(--color-quiet); border-top: 1px dashed var(--color-hair); }
</style>
