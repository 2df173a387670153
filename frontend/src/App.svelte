<script lang="ts">
  import { about } from './lib/bench/about.svelte';
  import { notices } from './lib/bench/notices.svelte';
  import { view } from './lib/bench/view.svelte';
  import { desk } from './lib/bench/desk.svelte';
  import { history } from './lib/bench/history.svelte';
  import { onMount } from 'svelte';
    import { cleaning } from './lib/bench/cleaning.svelte';
  import { typing } from './lib/bench/keys';
  import { saying } from './lib/bench/saying.svelte';
  import { edits } from './lib/bench/edits.svelte';
  import { finding } from './lib/bench/finding.svelte';
  import Finder from './lib/parts/Finder.svelte';
  import TopBar from './lib/parts/TopBar.svelte';
  import Clash from './lib/parts/Clash.svelte';
  import Notices from './lib/parts/Notices.svelte';
  import KeyHelp from './lib/parts/KeyHelp.svelte';
  import Trolley from './lib/views/Trolley.svelte';
  import Bundle from './lib/views/Bundle.svelte';
  import BringIn from './lib/views/BringIn.svelte';
  import Scan from './lib/views/Scan.svelte';
  import Deliver from './lib/views/Deliver.svelte';
  import Workbench from './lib/views/Workbench.svelte';

  async function start() {
    desk.listen();
    await notices.attempt(() => about.load());
    await view.start();
  }

  let helpOpen = $state(false);
  onMount(() => void start());

  function onKey(event: KeyboardEvent) {
    if (view.bundle !== null) {
      if (event.key === '?' && !typing(event)) helpOpen = true;
      return;
    }
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'f' && !event.shiftKey && !event.altKey) {
      event.preventDefault();
      if (!desk.document) finding.where = desk.batch ? 'batch' : 'all';
      else if (!finding.open) finding.where = 'document';
      finding.show();
      return;
    }
    if (event.altKey && (event.code === 'KeyT' || event.code === 'KeyM') && edits.clashes.length) {
      event.preventDefault();
      void edits.choose(event.code === 'KeyM');
      return;
    }
    if (typing(event)) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      // What is only being tried is taken back first.
      if (view.stage === 'clean' && desk.document && !view.contact && !event.shiftKey && cleaning.canUndo) cleaning.undo();
      else void history.turn(event.shiftKey ? 'redo' : 'undo');
    } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'y') {
      event.preventDefault();
      void history.turn('redo');
    } else if (event.altKey && event.code === 'KeyK' && edits.kin) {
      event.preventDefault();
      finding.show(edits.kin.read, edits.kin.text);
    } else if (event.key === '?') helpOpen = true;
  }
</script>

<svelte:window
  onkeydown={onKey}
  onbeforeunload={(event) => {
    if (edits.unsent) event.preventDefault();
  }}
/>

<div class="flex h-full flex-col">
  <TopBar onhelp={() => (helpOpen = true)} />
  {#if !desk.online}
    <p role="status" class="bg-lamp-300 text-lamp-900 m-0 px-4 py-1 text-sm">
      The server does not answer. Work goes on by itself when it is back; nothing is lost.
    </p>
  {/if}
  {#if desk.full}
    <p role="alert" class="bg-lamp-300 text-lamp-900 m-0 px-4 py-1 text-sm">
      The disk is full: nothing more can be brought in or saved, and work rests. Make room; all goes on by itself.
    </p>
  {/if}
  <main class="min-h-0 flex-1">
    {#if desk.document}
      <Workbench />
    {:else if desk.batch && view.stage === 'deliver'}
      <Deliver batch={desk.batch} />
    {:else if desk.batch && view.scanning}
      <Scan batch={desk.batch} />
    {:else if desk.batch}
      <BringIn batch={desk.batch} />
    {:else if view.bundle !== null}
      {#key view.bundle}<Bundle id={view.bundle} />{/key}
    {:else}
      <Trolley />
    {/if}
  </main>
</div>
<p class="sr" aria-live="polite" data-said>{saying.text}</p>
{#if finding.open}<Finder />{/if}
{#if edits.clashes[0]}<Clash clash={edits.clashes[0]} more={edits.clashes.length - 1} />{/if}
<Notices />
<KeyHelp bind:open={helpOpen} />
