<script lang="ts">
  import { counted, pageRuns } from '../bench/words';
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { about } from '../bench/about.svelte';
  import { Button, Checkbox, Modal } from 'flowbite-svelte';
  import { api, type Batch, type DocumentSummary } from '../api/client';
  import { sized } from '../bench/sizes';
  import { remember, remembered } from '../bench/keys';

  let { batch }: { batch: Batch } = $props();
  let formats = $state<string[]>(JSON.parse(remembered('formats', '["pdf","docx"]')));
  let keepHeads = $state(false);
  let joinTables = $state(false);
  let chosen = $state<Record<number, boolean>>({});

  const picked = $derived(batch.documents.filter((d) => chosen[d.id] ?? true));
  const current = $derived(batch.deliveries.filter((d) => d.current));
  const waiting = $derived(batch.documents.some((d) => d.delivering.length > 0));
  const unread = $derived(picked.filter((d) => d.busy > 0));
  const doubts = (d: DocumentSummary) => Object.values(d.doubts).reduce((a, b) => a + b, 0);

  /** How good the text was when the file was made. */
  const good = (x: Batch['deliveries'][number]) => `When it was made: about ${Math.round(x.expected)} wrong of ${x.words.toLocaleString()} words expected${x.looked_at ? `; of ${x.looked_at} words drawn by lot ${x.found_right} were right` : ''}.`;

  function toggle(format: string) {
    formats = formats.includes(format) ? formats.filter((f) => f !== format) : [...formats, format];
    remember('formats', JSON.stringify(formats));
  }

  const lacking = $derived(picked.filter((d) => d.unread.length > 0));
  let asking = $state(false);

  async function make(withoutFailed = false) {
    if (lacking.length && !withoutFailed) {
      asking = true;
      return;
    }
    asking = false;
    await notices.attempt(async () => {
      await api.deliver(batch.id, { formats: [...formats], documents: picked.map((d) => d.id), keep_running_heads: keepHeads, join_tables: joinTables, without_failed: withoutFailed });
      await desk.refresh();
    });
  }
</script>

<div class="flex h-full gap-6 p-6">
  <aside class="bg-paper flex w-80 shrink-0 flex-col gap-4 self-start rounded-lg p-5 shadow-sm">
    <h1 class="m-0 text-xl font-bold">What leaves the house</h1>
    <fieldset class="m-0 flex flex-col gap-2 border-0 p-0">
      <legend class="mb-1 p-0 text-sm font-bold">Formats</legend>
      {#each (about.told?.formats ?? []) as f (f.name)}
        <Checkbox checked={formats.includes(f.name)} onchange={() => toggle(f.name)}>{f.describes}</Checkbox>
      {/each}
    </fieldset>
    <fieldset class="m-0 flex flex-col gap-2 border-0 p-0">
      <legend class="mb-1 p-0 text-sm font-bold">Choices</legend>
      <Checkbox bind:checked={joinTables}>Join tables that go on over pages</Checkbox>
      <Checkbox bind:checked={keepHeads}>Keep running heads and page numbers in plain text</Checkbox>
    </fieldset>
    <Button disabled={!formats.length || !picked.length || unread.length > 0} onclick={() => make()}>
      {waiting ? 'Making…' : `Make ${counted(picked.length * formats.length, 'file')}`}
    </Button>
    {#if unread.length}<p class="text-quiet m-0 text-sm">{unread.length} documents are still being read.</p>{/if}
    {#if current.length}
      <Button color="alternative" href="/api/batches/{batch.id}/zip" download>Download all {current.length} as ZIP</Button>
    {/if}
  </aside>
  <section class="bg-paper min-w-0 flex-1 overflow-auto rounded-lg shadow-sm">
    {#if batch.documents.length === 0}
      <p class="text-quiet p-8 text-center">There is nothing to deliver yet.</p>
    {/if}
    <ul class="m-0 list-none p-0">
      {#each batch.documents as d (d.id)}
        {@const made = batch.deliveries.filter((x) => x.document_id === d.id)}
        <li class="border-hair flex items-start gap-4 border-b px-5 py-3">
          <Checkbox checked={chosen[d.id] ?? true} onchange={(e) => (chosen[d.id] = (e.currentTarget as HTMLInputElement).checked)} aria-label="Deliver {d.name}" class="mt-1" />
          <div class="min-w-0 flex-1">
            <b>{d.title}</b>
            <span class="text-quiet block text-sm">{d.name}, {counted(d.pages, 'page')}</span>
            {#if d.unread.length}<span class="text-lamp-700 block text-sm">Left out, not read: {pageRuns(d.unread)}</span>{/if}
            {#if doubts(d) > 0}
              <button class="plain text-lamp-700 text-sm underline" onclick={() => void view.goDocument(d.id)}>{doubts(d)} doubts are not settled</button>
            {/if}
          </div>
          <ul class="m-0 flex w-[27rem] shrink-0 list-none flex-col gap-1 p-0 text-sm">
            {#each made as x (x.id)}
              <li class="flex items-baseline gap-2">
                {#if x.current}
                  <a class="text-primary-700 font-bold underline" href="/api/deliveries/{x.id}/file" download={x.name}>{x.name}</a>
                  <span class="text-quiet" title={good(x)}>{sized(x.size)}{x.words ? `, ${(100 * (1 - x.expected / x.words)).toFixed(1)} % right${x.looked_at ? `, ${x.found_right} of ${x.looked_at} by sample` : ', expected'}` : ''}</span>
                {:else}
                  <span class="text-quiet"><s>{x.name}</s> changed since; make it again</span>
                {/if}
              </li>
            {/each}
            {#each d.delivering as f (f)}<li class="text-quiet">{f.toUpperCase()} is being made…</li>{/each}
            {#if !made.length && !d.delivering.length}<li class="text-quiet">nothing made yet</li>{/if}
          </ul>
        </li>
      {/each}
    </ul>
  </section>
</div>

<Modal bind:open={asking} title="Deliver without the pages that failed?" size="sm">
  <ul class="m-0 list-none p-0 text-sm">
    {#each lacking as d (d.id)}<li><b class="break-all">{d.name}</b>: {pageRuns(d.unread)} of {d.pages}</li>{/each}
  </ul>
  <p class="text-sm">These pages could not be read, for the reasons that Bring in names. They will be missing in what is made.</p>
  <div class="flex justify-end gap-3">
    <Button color="alternative" onclick={() => (asking = false)}>Not yet</Button>
    <Button onclick={() => make(true)}>Deliver without them</Button>
  </div>
</Modal>
