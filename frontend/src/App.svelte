<script lang="ts">
  import { onMount } from 'svelte';
  import { bench } from './lib/bench/bench.svelte';
  import { cleaning } from './lib/bench/cleaning.svelte';
  import { typing } from './lib/bench/keys';
  import TopBar from './lib/parts/TopBar.svelte';
  import Notices from './lib/parts/Notices.svelte';
  import KeyHelp from './lib/parts/KeyHelp.svelte';
  import Trolley from './lib/views/Trolley.svelte';
  import BringIn from './lib/views/BringIn.svelte';
  import Deliver from './lib/views/Deliver.svelte';
  import Workbench from './lib/views/Workbench.svelte';

  let helpOpen = $state(false);
  onMount(() => void bench.start());

  function onKey(event: KeyboardEvent) {
    if (typing(event)) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      if (bench.stage === 'clean' && bench.document && !bench.contact && !event.shiftKey) void (cleaning.canUndo ? cleaning.undo() : cleaning.takeBack());
      else if (!bench.contact) void bench.turnBack(event.shiftKey ? 'redo' : 'undo');
    } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'y') {
      event.preventDefault();
      void bench.turnBack('redo');
    } else if (event.key === '?') helpOpen = true;
  }
</script>

<svelte:window onkeydown={onKey} />

<div class="flex h-full flex-col">
  <TopBar onhelp={() => (helpOpen = true)} />
  {#if !bench.online}
    <p role="status" class="bg-lamp-300 text-lamp-900 m-0 px-4 py-1 text-sm">
      The server does not answer. Work goes on by itself when it is back; nothing is lost.
    </p>
  {/if}
  <main class="min-h-0 flex-1">
    {#if bench.document}
      <Workbench />
    {:else if bench.batch && bench.stage === 'deliver'}
      <Deliver batch={bench.batch} />
    {:else if bench.batch}
      <BringIn batch={bench.batch} />
    {:else}
      <Trolley />
    {/if}
  </main>
</div>
<Notices />
<KeyHelp bind:open={helpOpen} />
