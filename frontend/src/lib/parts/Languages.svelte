<script lang="ts">
  import { counted } from '../bench/words';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { about } from '../bench/about.svelte';
  import { Button, Modal, Radio } from 'flowbite-svelte';
  import { api } from '../api/client';
  import LanguageChoice from './LanguageChoice.svelte';

  let chosen = $state<string[]>([]);
  let scope = $state<'page' | 'document'>('page');
  let asking = $state(false);
  let forPage = 0;
  const page = $derived(desk.page);
  const busy = $derived(page?.task_state === 'running' || page?.task_state === 'waiting');
  const regions = $derived(page?.content?.regions ?? []);
  const confidence = $derived.by(() => {
    const words = regions.flatMap((r) => (r.lines ?? []).flatMap((l) => l.words));
    return words.length ? words.reduce((n, w) => n + w.confidence, 0) / words.length : null;
  });

  $effect(() => {
    if (page && page.id !== forPage) {
      forPage = page.id;
      chosen = [...page.languages];
    }
  });

  function again() {
    if (scope === 'document' || (page?.settled ?? 0) > 0) asking = true;
    else void read(true);
  }

  async function read(keep: boolean) {
    asking = false;
    if (!page) return;
    await notices.attempt(async () => {
      await desk.change((_, revision) => api.readAgain(page.id, revision, [...chosen], keep, scope));
      await desk.refresh();
    });
  }
</script>

<section class="border-hair flex max-h-[60%] shrink-0 flex-col gap-2 overflow-auto border-b p-3" aria-label="Reading">
  <div>
    <h2 class="m-0 text-base font-bold">Page {desk.pageIndex + 1}</h2>
    <p class="m-0 text-sm">
      {#if page?.content}
        Read in {(page.content.languages ?? []).map((l) => about.languageName(l)).join(', ')}: {counted(regions.length, 'block')}{#if confidence !== null}, words {Math.round(confidence * 100)}&nbsp;% sure on average{/if}.
        {#if page.kind === 'born_digital'}<br />The page came with real text; it was read from its image all the same.{/if}
      {:else}Not read yet.{/if}
    </p>
  </div>
  <details class="m-0" open={!page?.content}>
  <summary class="cursor-pointer text-sm font-bold">Read again, in other languages</summary>
  <LanguageChoice bind:value={chosen} compact />
  <fieldset class="m-0 flex flex-col gap-1 border-0 p-0">
    <legend class="mb-1 p-0 text-sm font-bold">What</legend>
    <Radio bind:group={scope} value="page">this page</Radio>
    <Radio bind:group={scope} value="document">the whole document</Radio>
  </fieldset>
  <Button disabled={busy || !chosen.length} onclick={again}>{busy ? 'Reading…' : 'Read again'}</Button>
  </details>
</section>

<Modal bind:open={asking} title="Keep what was settled?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">
    {scope === 'page' ? `This page has ${page?.settled ?? 0} words and blocks settled by hand.` : 'Pages of this document may have words and blocks settled by hand.'}
    Kept, they are laid over the new reading; either way undo brings the old page back.
  </p>
  <div class="flex flex-wrap gap-2">
    <Button onclick={() => read(true)}>Keep them</Button>
    <Button color="alternative" onclick={() => read(false)}>Read everything anew</Button>
    <Button color="alternative" onclick={() => (asking = false)}>Do not read</Button>
  </div>
</Modal>
