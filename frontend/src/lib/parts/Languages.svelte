<script lang="ts">
  import { counted } from '../bench/words';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { notices } from '../bench/notices.svelte';
  import { about } from '../bench/about.svelte';
  import { Button, Modal, Radio } from 'flowbite-svelte';
  import { api, type Changed, type TextFrom } from '../api/client';
  import LanguageChoice from './LanguageChoice.svelte';

  let chosen = $state<string[]>([]);
  let scope = $state<'page' | 'selection' | 'document'>('page');
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
    if (scope !== 'page' || (page?.settled ?? 0) > 0) asking = true;
    else void read(true);
  }

  const own = $derived(page?.content?.own_text ?? null);

  const PORTION = 8; // pages a request
  /** How far the page's blocks have been given to others. */
  let giving = $state<{ done: number; of: number } | null>(null);
  let stop = false;
  const others = $derived(selection.picked.filter((id) => id !== page?.id));

  async function give(pages: number[]) {
    if (!page) return;
    const { id, revision } = page;
    let changed = 0;
    let change: number | null = null;
    stop = false;
    await notices.attempt(async () => {
      for (let at = 0; at < pages.length && !stop; at += PORTION) {
        giving = { done: at, of: pages.length };
        const told: Changed = await api.template(id, revision, pages.slice(at, at + PORTION), change);
        changed += told.pages.length;
        if (told.pages.length) change = told.document.undo?.id ?? null;
        desk.apply(told);
      }
      notices.notify(changed ? `${counted(changed, 'page')} changed` : 'No other page has words where this one has blocks');
    });
    giving = null;
  }

  async function read(keep: boolean, textFrom: TextFrom | null = null) {
    asking = false;
    if (!page) return;
    await notices.attempt(async () => {
      await desk.change((_, revision) => api.readAgain(page.id, revision, [...chosen], keep, textFrom === null ? scope : 'page', textFrom, selection.picked));
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
      {:else}Not read yet.{/if}
    </p>
  </div>
  {#if page?.own_text}
    <fieldset class="m-0 flex flex-col gap-1 border-0 p-0 text-sm">
      <legend class="mb-1 p-0 font-bold">This page came with text</legend>
      {#if own}
        <p class="m-0">{own.taken ? 'It is taken as it is' : 'It is not taken'}: {Math.round(own.likeness * 100)}&nbsp;% of it agrees with the ink.</p>
        {#if own.likeness < 0.9 && own.layer}<dl class="both"><dt>file</dt><dd>{own.layer}</dd><dt>ink</dt><dd>{own.ink || 'nothing there'}</dd></dl>{/if}
      {/if}
      <select aria-label="Where the text is taken from" value={page.text_from} disabled={busy} onchange={(e) => void read(true, e.currentTarget.value as TextFrom)}>
        <option value="">{page.kind === 'born_digital' ? 'From the file, if it agrees with the ink' : 'From the ink'}</option>
        <option value="file">From the file</option>
        {#if page.kind === 'born_digital'}<option value="ink">From the ink</option>{/if}
      </select>
    </fieldset>
  {/if}
  <details class="m-0" open={!page?.content}>
  <summary class="cursor-pointer text-sm font-bold">Read again, in other languages</summary>
  <LanguageChoice bind:value={chosen} compact />
  <fieldset class="m-0 flex flex-col gap-1 border-0 p-0">
    <legend class="mb-1 p-0 text-sm font-bold">What</legend>
    <Radio bind:group={scope} value="page">this page</Radio>
    {#if selection.picked.length > 1}<Radio bind:group={scope} value="selection">the {counted(selection.picked.length, 'picked page')}</Radio>{/if}
    <Radio bind:group={scope} value="document">the whole document</Radio>
  </fieldset>
  <Button disabled={busy || !chosen.length} onclick={again}>{busy ? 'Reading…' : 'Read again'}</Button>
  </details>
  {#if page?.content && desk.pages.length > 1}
    <details class="m-0">
      <summary class="cursor-pointer text-sm font-bold">Same form on other pages</summary>
      <p class="m-0 my-1 text-sm">Give this page's blocks, tables and order to other pages. What was read on them stays.</p>
      <div class="flex flex-wrap gap-2">
        {#if giving}
          <label class="flex flex-1 items-center gap-2 text-sm"><progress class="flex-1" max={giving.of} value={giving.done}></progress>{giving.done} of {giving.of}</label>
          <Button size="xs" color="alternative" onclick={() => (stop = true)}>Stop</Button>
        {:else}
          {#if others.length}<Button size="xs" onclick={() => void give(others)}>{counted(others.length, 'picked page')}</Button>{/if}
          <Button size="xs" color="alternative" onclick={() => void give(desk.pages.map((p) => p.id).filter((p) => p !== page.id))}>All pages of the document</Button>
        {/if}
      </div>
    </details>
  {/if}
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

<style>
  select { width: 100%; border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; color: var(--color-ink); font-size: 14px; padding: 4px 26px 4px 8px; }
  .both { display: grid; grid-template-columns: auto 1fr; gap: 2px 8px; margin: 4px 0; }
  .both dt { color: var(--color-quiet); }
  .both dd { margin: 0; overflow-wrap: anywhere; }
</style>
