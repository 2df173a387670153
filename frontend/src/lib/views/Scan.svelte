<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { api, type Batch } from '../api/client';
  import { notices } from '../bench/notices.svelte';
  import { saying } from '../bench/saying.svelte';
  import { scanning, sheetsOf } from '../bench/scanning.svelte';
  import { typing } from '../bench/keys';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';
  import Glass from '../parts/Glass.svelte';
  import SheetsComing from '../parts/SheetsComing.svelte';
  import ScannerWish from '../parts/ScannerWish.svelte';

  /** Sheets come from a scanner: seen as they come, and what is wrong with one is said while the paper is at hand. */
  let { batch }: { batch: Batch } = $props();

  const scan = $derived(scanning.scan);
  const sheets = $derived(scan ? sheetsOf(scan) : []);
  const fronts = $derived(scan?.faces.filter((f) => !f.second_pass).length ?? 0);
  const awaited = $derived(!!scan && scan.wish.sides === 'second_pass' && fronts > 0 && !scan.faces.some((f) => f.second_pass && f.fate !== 'waiting'));
  const poor = $derived(scan?.faces.filter((f) => f.remarks.length).length ?? 0);
  const glass = $derived(scanning.wish.source === 'flatbed' && !scan?.running);

  const id = $derived(batch.id); // the batch is told anew all the time
  $effect(() => {
    void scanning.open(id);
    return () => scanning.leave();
  });

  let told = '';
  $effect(() => {
    const says = scan?.trouble?.says ?? '';
    if (says && says !== told) saying.say(says);
    told = says;
  });

  const main = $derived.by((): { label: string; act: () => unknown } => {
    if (scan?.running) return { label: 'Stop', act: () => scanning.act((id) => api.stopScan(id)) };
    if (scan?.trouble) return { label: 'Go on', act: () => scanning.act((id) => api.goOnScan(id)) };
    if (awaited && !scan?.second_pass) return { label: 'Scan the other sides', act: () => scanning.act((id) => api.otherSides(id)) };
    if (scanning.goesOn) return { label: scanning.wish.source === 'flatbed' ? 'Scan the next sheet' : 'Scan more sheets', act: () => scanning.act((id) => api.goOnScan(id)) };
    return { label: 'Scan', act: () => scanning.begin() };
  });
  const ready = $derived(scanning.chosen > 0 && (!!scan?.running || !scanning.away || !!scan?.trouble));

  function onKey(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Enter' && !(event.target as HTMLElement).closest('button, a, summary') && ready) {
      event.preventDefault();
      void main.act();
    } else if (event.key === 'Escape' && scan?.running) void scanning.act((id) => api.stopScan(id));
  }

  async function finish() {
    await scanning.end();
    await view.goBatch(batch.id);
    notices.notify('Scanned pages are cleaned and read by themselves.');
  }
</script>

<svelte:window onkeydown={onKey} />

<div class="flex h-full gap-5 p-5" role="region" aria-label="Scan">
  <section class="flex min-w-0 flex-1 flex-col overflow-hidden rounded-lg shadow-sm tray" aria-label="Sheets">
    <header class="bg-paper border-hair flex items-center gap-4 border-b px-5 py-3">
      <h1 class="m-0 text-xl font-bold whitespace-nowrap">Scan sheets</h1>
      <span class="text-quiet flex-1 whitespace-nowrap" role="status" data-count={scan?.faces.length ?? 0}>
        {#if scan}{counted(scan.faces.length, 'side')} of {counted(sheets.length, 'sheet')}{poor ? `; ${counted(poor, 'side')} to look at` : ''}{scan.running ? '; more are coming…' : ''}{/if}
      </span>
      {#if scan && !scan.running}<Button size="sm" color="alternative" class="whitespace-nowrap" onclick={finish}>Done with these</Button>{/if}
      <Button size="sm" color="alternative" class="whitespace-nowrap" onclick={() => void view.goBatch(batch.id)}>Back to the batch</Button>
    </header>
    {#if scan?.trouble}
      <div class="trouble" role="alert">
        <b>{scan.trouble.says}</b>
        <span class="flex-1"></span>
        <Button size="sm" onclick={() => scanning.act((id) => api.goOnScan(id))}>Go on</Button>
        {#if scan.trouble.kind === 'odd_backs'}<Button size="sm" color="alternative" onclick={() => scanning.act((id) => api.otherSides(id))}>Begin the other sides anew</Button>{/if}
      </div>
    {:else if awaited && !scan?.running}
      <div class="trouble" role="status"><b>{counted(fronts, 'front')} have come. Turn the whole stack over as it lies, put it back into the feeder, and scan the other sides.</b></div>
    {/if}
    {#if glass}<Glass />{/if}
    {#if sheets.length}
      <SheetsComing {sheets} running={!!scan?.running} />
    {:else if !glass}
      <div class="empty">
        {#if !scanning.chosen}<p class="text-lg font-bold">No scanner is known yet.</p><p>Name one by its address, or look for those in the network.</p>
        {:else if scan?.running}<p class="text-lg font-bold">The first sheet is on its way…</p>
        {:else}<p class="text-lg font-bold">Lay the sheets into the feeder.</p><p>Each is shown here as it comes, and goes into the batch at once.</p>{/if}
      </div>
    {/if}
  </section>
  <aside class="bg-paper flex w-88 shrink-0 flex-col overflow-hidden rounded-lg shadow-sm" aria-label="How to scan">
    <ScannerWish {batch} />
    <footer class="border-hair flex flex-col gap-2 border-t p-4">
      {#if scanning.goesOn && !scan?.running}<Button class="w-full" size="sm" color="alternative" disabled={!ready} onclick={() => void scanning.begin()}>Scan into a new document</Button>{/if}
      <Button class="w-full" size="lg" color={scan?.running ? 'alternative' : 'primary'} disabled={!ready} onclick={() => void main.act()}>{main.label} <span class="key ml-3">{scan?.running ? 'Esc' : '↵'}</span></Button>
    </footer>
  </aside>
</div>

<style>
  .tray { background: #c9d2ce; }
  .trouble { display: flex; gap: 10px; align-items: center; padding: 10px 20px; background: var(--color-lamp-100); border-bottom: 2px solid var(--color-lamp-500); color: var(--color-lamp-900); }
  .empty { margin: auto; text-align: center; padding: 2rem; }
  .empty p { margin: 0.3rem 0; }
</style>
