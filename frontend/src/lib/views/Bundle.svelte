<script lang="ts">
  import { onMount } from 'svelte';
  import { bundle, type Side } from '../bench/bundle.svelte';
  import { typing } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { counted } from '../bench/words';
  import { api } from '../api/client';
  import BundleDelivery from '../parts/BundleDelivery.svelte';
  import BundleMarks from '../parts/BundleMarks.svelte';
  import BundleRules from '../parts/BundleRules.svelte';
  import BundleSheet from '../parts/BundleSheet.svelte';
  import RunningOrder from '../parts/RunningOrder.svelte';
  import Shelf from '../parts/Shelf.svelte';

  let { id }: { id: number } = $props();
  const SIDES: [Side, string][] = [['shelf', 'Shelf'], ['sheet', 'Sheets'], ['marks', 'Marks'], ['rules', 'Numbers and index'], ['deliver', 'Deliver']];
  let naming = $state<string | null>(null);

  onMount(() => {
    void bundle.open(id);
    return () => bundle.close();
  });

  const told = $derived(bundle.told);

  const rename = () => notices.attempt(async () => {
    const name = naming?.trim();
    naming = null;
    if (!name || name === told?.name) return;
    await api.renameBundle(id, name);
    await bundle.reload();
  });

  function onKey(event: KeyboardEvent) {
    const ctrl = event.ctrlKey || event.metaKey;
    if (ctrl && event.key.toLowerCase() === 'f') {
      event.preventDefault();
      bundle.find();
      return;
    }
    if (typing(event)) return;
    if (ctrl && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      void bundle.turn(event.shiftKey ? 'redo' : 'undo');
    } else if (ctrl && event.key.toLowerCase() === 'y') {
      event.preventDefault();
      void bundle.turn('redo');
    } else if (event.altKey && /^Digit[1-5]$/.test(event.code)) {
      event.preventDefault();
      bundle.side = SIDES[Number(event.code.slice(5)) - 1]![0];
    } else if (bundle.side === 'sheet' && (event.key === 'PageDown' || event.key === 'PageUp')) {
      event.preventDefault();
      void bundle.go(bundle.at + (event.key === 'PageDown' ? 1 : -1));
    }
  }
</script>

<svelte:window onkeydown={onKey} />

{#if told}
  <div class="whole">
    <header class="head">
      {#if naming !== null}
        <!-- svelte-ignore a11y_autofocus -->
        <input class="name" aria-label="The bundle’s name" bind:value={naming} maxlength="200" autofocus onblur={rename} onkeydown={(e) => { if (e.key === 'Enter') void rename(); if (e.key === 'Escape') naming = null; }} />
      {:else}
        <h1><button class="plain" title="Rename" onclick={() => (naming = told.name)}>{told.name}</button></h1>
      {/if}
      <p class="text-quiet m-0">
        {counted(told.entries.filter((e) => !e.section).length, 'document')}, {counted(told.pages, 'page')}{told.blanks ? `, ${counted(told.blanks, 'blank back')}` : ''}
        {#if told.kept} · numbers are kept{/if}
        {#if told.issued} · delivered {new Date(told.issued * 1000).toLocaleDateString()}{told.changed ? `, ${counted(told.changed, 'change')} since` : ', nothing changed since'}{/if}
      </p>
      <div class="turns" role="group" aria-label="History">
        <button disabled={!told.undo} title={told.undo ? `Undo: ${told.undo} (Ctrl Z)` : 'Nothing to undo'} aria-label="Undo{told.undo ? `: ${told.undo}` : ''}" onclick={() => void bundle.turn('undo')}>↶</button>
        <button disabled={!told.redo} title={told.redo ? `Do again: ${told.redo} (Ctrl Shift Z)` : 'Nothing to do again'} aria-label="Redo{told.redo ? `: ${told.redo}` : ''}" onclick={() => void bundle.turn('redo')}>↷</button>
      </div>
    </header>
    {#if told.trouble}<p role="alert" class="bg-lamp-300 text-lamp-900 m-0 px-4 py-1">{told.trouble}</p>{/if}
    <div class="two">
      <section class="order" aria-label="Running order"><RunningOrder /></section>
      <section class="side">
        <div class="sides" role="tablist" aria-label="Beside the running order">
          {#each SIDES as [key, name] (key)}
            <button role="tab" id="side-{key}" aria-selected={bundle.side === key} aria-controls="side" onclick={() => (bundle.side = key)}>
              {name}{#if key === 'marks' && told.marks} <span class="count">{told.marks}</span>{/if}{#if key === 'deliver' && told.changed && told.issued} <span class="count" aria-label="{told.changed} changes">{told.changed}</span>{/if}
            </button>
          {/each}
        </div>
        <div id="side" class="panel" role="tabpanel" aria-labelledby="side-{bundle.side}">
          {#if bundle.side === 'shelf'}<Shelf />
          {:else if bundle.side === 'sheet'}<BundleSheet />
          {:else if bundle.side === 'marks'}<BundleMarks />
          {:else if bundle.side === 'rules'}<BundleRules />
          {:else}<BundleDelivery />{/if}
        </div>
      </section>
    </div>
  </div>
{:else}
  <p class="p-8">Looking…</p>
{/if}

<style>
  .whole { height: 100%; display: flex; flex-direction: column; background: var(--color-desk); }
  .head { display: flex; align-items: baseline; gap: 18px; padding: 10px 20px; background: var(--color-paper); border-bottom: 1px solid var(--color-hair); }
  .head h1 { margin: 0; font-size: 21px; min-width: 0; }
  .head h1 button { max-width: 40vw; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; display: block; }
  .head p { flex: 1; }
  .name { font-size: 19px; font-weight: 700; border: 1px solid #7b8a86; border-radius: 6px; padding: 2px 8px; width: 24em; }
  .turns button { border: 0; background: transparent; font-size: 20px; min-width: 32px; min-height: 30px; border-radius: 5px; color: var(--color-ink); }
  .turns button:hover:not(:disabled) { background: var(--color-primary-100); }
  .turns button:disabled { color: #7b8a86; cursor: default; }
  .two { flex: 1; min-height: 0; display: grid; grid-template-columns: minmax(400px, 42%) 1fr; }
  .order { min-height: 0; background: var(--color-paper); border-right: 1px solid var(--color-hair); display: flex; flex-direction: column; }
  .side { min-height: 0; min-width: 0; display: flex; flex-direction: column; }
  .sides { display: flex; gap: 2px; padding: 8px 14px 0; }
  .sides button { border: 0; background: transparent; padding: 6px 12px; border-bottom: 4px solid transparent; color: var(--color-ink); font-size: 15px; }
  .sides button:hover { border-bottom-color: var(--color-primary-200); }
  .sides button[aria-selected='true'] { font-weight: 700; border-bottom-color: var(--color-lamp-500); }
  .panel { flex: 1; min-height: 0; }
</style>
