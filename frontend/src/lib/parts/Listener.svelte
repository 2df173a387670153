<script lang="ts">
  import { onDestroy } from 'svelte';
  import { about } from '../bench/about.svelte';
  import { desk } from '../bench/desk.svelte';
  import { typing } from '../bench/keys';
  import { listening } from '../bench/listening.svelte';

  /** Plays the document as a screen reader says it, and steps through it. */
  const SPEEDS = [120, 165, 210, 270, 350];
  const steps: [string, string, string[]][] = [
    ['heading', 'H', ['heading']], ['list item', 'I', ['item']], ['cell', 'T', ['cell']], ['picture', 'P', ['picture']], ['link', 'K', ['link']],
  ];
  const here = $derived(listening.here);

  function onKey(event: KeyboardEvent) {
    if (event.defaultPrevented || typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    const button = (event.target as HTMLElement).closest?.('button, a, summary, [role="button"]');
    const kinds = steps.find(([, key]) => key === event.key.toUpperCase())?.[2];
    if (event.key.toLowerCase() === 'l' || (event.key === ' ' && !button && listening.open)) toggle();
    else if (!listening.open) return;
    else if (kinds) void listening.step(event.shiftKey ? -1 : 1, kinds);
    else if (event.key === '.') void listening.step(1);
    else if (event.key === ',') void listening.step(-1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const toggle = () => (listening.playing ? listening.stop() : void listening.begin(desk.pageIndex));
  onDestroy(() => listening.clear());
</script>

<svelte:window onkeydown={onKey} />

<section class="listener" aria-label="Listen">
  <p class="row">
    <button class="play" title="As a screen reader says it, from the page in hand (L)" aria-pressed={listening.playing} onclick={toggle}>{listening.playing ? 'Pause' : 'Listen'} <span class="key">L</span></button>
    <label>words a minute <select value={listening.speed} onchange={(e) => listening.faster(Number(e.currentTarget.value))}>{#each SPEEDS as s (s)}<option value={s}>{s}</option>{/each}</select></label>
  </p>
  {#if listening.open}
    <p class="row">
      <button title="The one before (,)" aria-label="The one before" onclick={() => void listening.step(-1)}>‹</button>
      <button title="Next (.)" aria-label="Next" onclick={() => void listening.step(1)}>›</button>
      {#each steps as [name, key, kinds] (name)}<button title="Next {name} ({key}, with Shift the one before)" onclick={() => void listening.step(1, kinds)}>{name}</button>{/each}
      <button aria-label="End listening" onclick={() => listening.clear()}>✕</button>
    </p>
    {#if here}<p class="now"><i>{here.announced}</i> <bdi lang={about.languageTag(here.language)}>{here.text}</bdi></p>{/if}
  {/if}
</section>

<style>
  .listener { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; padding: 6px 10px; font-size: 14px; display: flex; flex-direction: column; gap: 5px; }
  .row { margin: 0; display: flex; flex-wrap: wrap; gap: 4px; align-items: center; }
  button { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 2px 8px; font-size: 14px; color: var(--color-ink); }
  .play { background: var(--color-primary-700); color: #fff; }
  .play[aria-pressed='true'] { background: var(--color-lamp-500); color: var(--color-ink); }
  select { padding: 1px 24px 1px 6px; border-radius: 5px; font-size: 14px; }
  .now { margin: 0; max-height: 4.5em; overflow: auto; }
  .now i { color: var(--color-quiet); }
</style>
