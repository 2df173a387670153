<script lang="ts">
  import { onMount } from 'svelte';
  import { about } from '../bench/about.svelte';
  import { counted } from '../bench/words';
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { Button, Input, Modal } from 'flowbite-svelte';
  import { api, type BatchSummary, type BundleSummary } from '../api/client';
    import { remember, remembered } from '../bench/keys';
  import { sized } from '../bench/sizes';
  import LanguageChoice from '../parts/LanguageChoice.svelte';

  let name = $state('');
  let languages = $state<string[]>(JSON.parse(remembered('languages', '["eng"]')));
  let opening = $state(false);
  let leaving = $state<BatchSummary | null>(null);
  let bundles = $state.raw<BundleSummary[]>([]);
  let binding = $state(false);
  let bundleName = $state('');
  let language = $state(remembered('bundle.language', 'eng'));
  let unbinding = $state<BundleSummary | null>(null);

  onMount(() => void notices.attempt(async () => (bundles = await api.bundles())));

  async function bind(event: SubmitEvent) {
    event.preventDefault();
    await notices.attempt(async () => {
      remember('bundle.language', language);
      const made = await api.addBundle(bundleName.trim() || `Bundle of ${new Date().toLocaleDateString()}`, language);
      binding = false;
      bundleName = '';
      void view.goBundle(made.id);
    });
  }

  async function unbind() {
    const bundle = unbinding;
    unbinding = null;
    if (!bundle) return;
    await notices.attempt(async () => {
      await api.deleteBundle(bundle.id);
      bundles = await api.bundles();
      notices.notify(`${bundle.name} removed; its documents are where they were`);
    });
  }

  async function begin(event: SubmitEvent) {
    event.preventDefault();
    await notices.attempt(async () => {
      remember('languages', JSON.stringify(languages));
      const batch = await api.addBatch(name.trim() || `Batch of ${new Date().toLocaleDateString()}`, [...languages]);
      opening = false;
      name = '';
      void view.goBatch(batch.id);
    });
  }

  async function remove() {
    const batch = leaving;
    leaving = null;
    if (!batch) return;
    await notices.attempt(async () => {
      await api.deleteBatch(batch.id);
      desk.batches = await api.batches();
      notices.notify(`${batch.name} removed`);
    });
  }
</script>

<div class="mx-auto flex h-full max-w-5xl flex-col gap-5 overflow-auto p-8">
  <div class="flex items-end justify-between">
    <div>
      <h1 class="m-0 text-3xl font-bold">On the trolley</h1>
      <p class="text-quiet m-0">A batch is what comes in together and goes out together.{#if desk.batches?.length}{' '}All of them take {sized(desk.batches.reduce((n, b) => n + b.size, 0))}.{/if}</p>
    </div>
    <Button onclick={() => (opening = true)}>New batch</Button>
  </div>
  {#if desk.batches === null}
    <p>Looking…</p>
  {:else if desk.batches.length === 0}
    <div class="bg-paper rounded-lg border border-dashed p-12 text-center" style:border-color="var(--color-hair)">
      <p class="mt-0 text-xl">Nothing on the trolley yet.</p>
      <p class="text-quiet">Begin a batch, drop scans into it, and settle what the program is not sure of.</p>
      <Button onclick={() => (opening = true)}>Begin the first batch</Button>
    </div>
  {:else}
    <ul class="m-0 flex list-none flex-col gap-2 p-0">
      {#each desk.batches as batch (batch.id)}
        <li class="bg-paper flex items-center gap-4 rounded-lg px-5 py-4 shadow-sm">
          <button class="plain min-w-0 flex-1" onclick={() => void view.goBatch(batch.id)}>
            <span class="block truncate text-lg font-bold">{batch.name}</span>
            <span class="text-quiet">
              {counted(batch.documents, 'document')}, {counted(batch.pages, 'page')},
              {sized(batch.size)}, begun {new Date(batch.created * 1000).toLocaleDateString()}
            </span>
          </button>
          {#if batch.busy}<span class="text-quiet">at work…</span>{/if}
          {#if batch.doubts > 0}
            <span><span class="count">{batch.doubts}</span> doubts left</span>
          {:else if !batch.busy && batch.documents > 0}
            <span class="text-primary-700 font-bold">no doubts left</span>
          {/if}
          <Button color="alternative" size="sm" onclick={() => (leaving = batch)} aria-label="Remove {batch.name}">Remove</Button>
        </li>
      {/each}
    </ul>
  {/if}
  <div class="flex items-end justify-between">
    <div>
      <h2 class="m-0 text-2xl font-bold">Bundles</h2>
      <p class="text-quiet m-0">Documents of any batches, put in order, numbered and indexed as one.</p>
    </div>
    <Button color="alternative" onclick={() => (binding = true)}>New bundle</Button>
  </div>
  {#if bundles.length}
    <ul class="m-0 flex list-none flex-col gap-2 p-0" aria-label="Bundles">
      {#each bundles as bundle (bundle.id)}
        <li class="bg-paper flex items-center gap-4 rounded-lg px-5 py-3 shadow-sm">
          <button class="plain min-w-0 flex-1" onclick={() => void view.goBundle(bundle.id)}>
            <span class="block truncate text-lg font-bold">{bundle.name}</span>
            <span class="text-quiet">{counted(bundle.documents, 'document')}, begun {new Date(bundle.created * 1000).toLocaleDateString()}{bundle.issued ? `, delivered ${new Date(bundle.issued * 1000).toLocaleDateString()}` : ''}</span>
          </button>
          <Button color="alternative" size="sm" onclick={() => (unbinding = bundle)} aria-label="Remove {bundle.name}">Remove</Button>
        </li>
      {/each}
    </ul>
  {/if}
</div>

<Modal bind:open={binding} title="New bundle" size="md" class="bg-paper">
  <form class="flex flex-col gap-4 text-ink" onsubmit={bind}>
    <label class="flex flex-col gap-1 text-sm font-bold">Name
      <Input bind:value={bundleName} maxlength={200} placeholder="Inquiry into the loss of the tender Solveig" autofocus />
    </label>
    <label class="flex flex-col gap-1 text-sm font-bold">Language of the index
      <select class="rounded-lg" bind:value={language}>{#each about.languages as l (l.code)}<option value={l.code}>{l.name}</option>{/each}</select>
    </label>
    <div><Button type="submit">Begin</Button></div>
  </form>
</Modal>

<Modal open={unbinding !== null} onclose={() => (unbinding = null)} title="Remove this bundle?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">“{unbinding?.name}” goes with its order, numbers, marks and files. Its documents stay in their batches. This cannot be undone.</p>
  <div class="flex gap-2">
    <Button color="red" onclick={unbind}>Remove</Button>
    <Button color="alternative" onclick={() => (unbinding = null)}>Keep</Button>
  </div>
</Modal>

<Modal bind:open={opening} title="New batch" size="md" class="bg-paper">
  <form class="flex flex-col gap-4 text-ink" onsubmit={begin}>
    <label class="flex flex-col gap-1 text-sm font-bold">Name
      <Input bind:value={name} maxlength={200} placeholder="Box 14, letters received" autofocus />
    </label>
    <LanguageChoice bind:value={languages} />
    <div><Button type="submit">Begin</Button></div>
  </form>
</Modal>

<Modal open={leaving !== null} onclose={() => (leaving = null)} title="Remove this batch?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">“{leaving?.name}” goes with its documents, corrections and deliveries. This cannot be undone.</p>
  <div class="flex gap-2">
    <Button color="red" onclick={remove}>Remove</Button>
    <Button color="alternative" onclick={() => (leaving = null)}>Keep</Button>
  </div>
</Modal>
