<script lang="ts">
  import { onMount } from 'svelte';
  import { counted, pageRuns } from '../bench/words';
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { about } from '../bench/about.svelte';
  import { Button, Checkbox, Modal } from 'flowbite-svelte';
  import { api, type Batch, type DeliveryOptions, type DeliverySet, type DocumentSummary, type ToBeMade } from '../api/client';
  import { sized } from '../bench/sizes';
  import { remember, remembered, typing } from '../bench/keys';
  import QualitySample from '../parts/QualitySample.svelte';

  let { batch }: { batch: Batch } = $props();
  let formats = $state<string[]>(JSON.parse(remembered('formats', '["pdf","docx"]')));
  const PLAIN: DeliveryOptions = { keep_running_heads: false, join_tables: false, quality: 'as_scanned', tones: 'as_is', standard: 'pdf_1_7', attach_source: false, one_sheet: false, page_breaks: false, joined: false, post: false, pages: '', name: '{source}' };
  let options = $state<DeliveryOptions>({ ...PLAIN, ...JSON.parse(remembered('delivery', '{}')), pages: '' });
  const QUALITIES: [NonNullable<DeliveryOptions['quality']>, string][] = [['as_scanned', 'as scanned'], ['balanced', 'balanced'], ['smallest', 'smallest: sharp ink, soft ground']];
  const TONES: [NonNullable<DeliveryOptions['tones']>, string][] = [['as_is', 'as they are'], ['grey', 'grey'], ['black_and_white', 'black and white']];
  const PURPOSES = [['reading', 'To be read'], ['editing', 'To be edited'], ['exchange', 'For archives and programs'], ['listening', 'To be heard']] as const;
  const STANDARDS: [NonNullable<DeliveryOptions['standard']>, string][] = [['pdf_1_7', 'PDF/A-2 and PDF/UA-1'], ['pdf_2_0', 'PDF/A-4 and PDF/UA-2']];
  const TOKENS = ['{source}', '{title}', '{reference}', '{number}', '{date}', '{batch}'];
  let sets = $state.raw<DeliverySet[]>([]);
  let inHand = $state(remembered('delivery-set', ''));
  let naming = $state('');
  let seeing = $state<number | null>(null);
  let names = $state.raw<ToBeMade[]>([]);
  let told = $state('');
  let chosen = $state<Record<number, boolean>>({});

  const picked = $derived(batch.documents.filter((d) => chosen[d.id] ?? true));
  const current = $derived(batch.deliveries.filter((d) => d.current));
  const waiting = $derived(batch.making.length > 0);
  const joined = $derived(batch.deliveries.filter((x) => x.documents.length > 1));
  const joining = $derived(batch.making.filter((x) => x.documents.length > 1));
  const titles = (ids: number[]) => ids.map((id) => batch.documents.find((d) => d.id === id)?.title ?? 'one that is gone').join(', ');
  const unread = $derived(picked.filter((d) => d.busy > 0));
  const doubts = (d: DocumentSummary) => Object.values(d.doubts).reduce((a, b) => a + b, 0);

  /** How good the text was when a file was made: once for all files of a document. */
  const good = (files: Batch['deliveries']) => {
    const x = files.find((f) => f.current && f.words);
    return x ? `${(100 * (1 - x.expected / x.words)).toFixed(1)} % of ${x.words.toLocaleString()} words right, expected${x.looked_at ? `; ${x.found_right} of ${x.looked_at} by sample` : ''}` : '';
  };

  function toggle(format: string) {
    formats = formats.includes(format) ? formats.filter((f) => f !== format) : [...formats, format];
    keep();
  }

  function keep() {
    remember('formats', JSON.stringify(formats));
    remember('delivery', JSON.stringify(options));
    inHand = '';
    remember('delivery-set', '');
  }

  function choose(patch: Partial<DeliveryOptions>) {
    options = { ...options, ...patch };
    keep();
  }

  onMount(() => void notices.attempt(async () => (sets = await api.deliverySets())));

  function use(set: DeliverySet) {
    formats = [...set.formats];
    options = { ...PLAIN, ...set.options };
    keep();
    inHand = set.name;
    remember('delivery-set', set.name);
  }

  const save = () =>
    notices.attempt(async () => {
      const name = naming.trim();
      if (!name) return;
      sets = await api.saveDeliverySet(name, [...formats], { ...options });
      inHand = name;
      remember('delivery-set', name);
      naming = '';
      notices.notify(`Kept as “${name}”`);
    });

  const drop = (set: DeliverySet) =>
    notices.attempt(async () => {
      await api.deleteDeliverySet(set.id);
      sets = sets.filter((s) => s !== set);
      if (inHand === set.name) inHand = '';
    });

  // What would be made is shown before it is.
  $effect(() => {
    const wanted = { formats: [...formats], documents: picked.map((d) => d.id), options: { ...options } };
    if (!wanted.formats.length || !wanted.documents.length) {
      names = [];
      return;
    }
    const timer = setTimeout(() => {
      api.names(batch.id, wanted).then(
        (found) => { names = found; told = ''; },
        (error: Error) => { names = []; told = error.message; },
      );
    }, 250);
    return () => clearTimeout(timer);
  });

  function onKey(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey) return;
    const set = event.altKey && /^Digit[1-9]$/.test(event.code) ? sets[Number(event.code.slice(5)) - 1] : undefined;
    if (!set) return;
    event.preventDefault();
    use(set);
    void make();
  }

  const stop = () => notices.attempt(async () => {
    await api.cancel(batch.id);
    await desk.refresh();
  });
  const again = () => notices.attempt(async () => {
    await api.retryAll(batch.id);
    await desk.refresh();
  });

  const pause = (paused: boolean) => notices.attempt(async () => {
    await api.pause(batch.id, paused);
    await desk.refresh();
  });
  const forget = (id: number) => notices.attempt(async () => {
    await api.forgetDelivery(id);
    await desk.refresh();
  });

  // How far a large document has come is no event of the server's.
  $effect(() => {
    if (!waiting) return;
    const timer = setInterval(() => void desk.refresh(), 2000);
    return () => clearInterval(timer);
  });

  const lacking = $derived(picked.filter((d) => d.unread.length > 0));
  const cautioned = $derived(picked.filter((d) => d.cautions.length > 0));
  let asking = $state(false);

  async function make(knowingly = false) {
    if ((lacking.length || cautioned.length) && !knowingly) {
      asking = true;
      return;
    }
    asking = false;
    await notices.attempt(async () => {
      await api.deliver(batch.id, { formats: [...formats], documents: picked.map((d) => d.id), options: { ...options }, without_failed: knowingly, knowingly, made_by: remembered('name', '') });
      await desk.refresh();
    });
  }
</script>

<svelte:window onkeydown={onKey} />

<div class="flex h-full gap-6 p-6">
  <aside class="bg-paper flex max-h-full w-80 shrink-0 flex-col self-start rounded-lg shadow-sm">
   <div class="flex min-h-0 flex-col gap-3 overflow-auto p-5">
    <h1 class="m-0 text-xl font-bold">What leaves the house</h1>
    <fieldset class="m-0 flex flex-col gap-1 border-0 p-0">
      <legend class="mb-1 p-0 text-sm font-bold">Sets</legend>
      {#each sets as set, i (set.id)}
        <p class="m-0 flex gap-1"><button class="small flex-1 text-left" aria-pressed={inHand === set.name} title="{set.formats.join(', ')}; Alt {i + 1} delivers it" onclick={() => use(set)}>{set.name} <span class="key">Alt {i + 1}</span></button><button class="small" aria-label="Forget {set.name}" onclick={() => void drop(set)}>✕</button></p>
      {/each}
      <p class="m-0 flex gap-1"><input class="field flex-1" bind:value={naming} placeholder="name of these choices" aria-label="Name of the set" maxlength="80" onkeydown={(e) => e.key === 'Enter' && void save()} /><button class="small" disabled={!naming.trim() || !formats.length} onclick={() => void save()}>Keep</button></p>
    </fieldset>
    {#each PURPOSES as [purpose, name] (purpose)}
      <fieldset class="m-0 border-0 p-0">
        <legend class="mb-1 p-0 text-sm font-bold">{name}</legend>
        <div class="formats">
          {#each (about.told?.formats ?? []).filter((f) => f.purpose === purpose) as f (f.name)}
            <span title={f.describes}><Checkbox checked={formats.includes(f.name)} onchange={() => toggle(f.name)} aria-label={f.describes}>{f.describes.split(',')[0]}</Checkbox></span>
          {/each}
        </div>
      </fieldset>
    {/each}
    <fieldset class="m-0 flex flex-col gap-2 border-0 p-0">
      <legend class="mb-1 p-0 text-sm font-bold">Choices</legend>
      <label class="line">Pages’ pictures <select value={options.quality} onchange={(e) => choose({ quality: e.currentTarget.value as DeliveryOptions['quality'] })}>{#each QUALITIES as [id, name] (id)}<option value={id}>{name}</option>{/each}</select></label>
      <label class="line">Colours <select value={options.tones} onchange={(e) => choose({ tones: e.currentTarget.value as DeliveryOptions['tones'] })}>{#each TONES as [id, name] (id)}<option value={id}>{name}</option>{/each}</select></label>
      <label class="line">Standard <select value={options.standard} onchange={(e) => choose({ standard: e.currentTarget.value as DeliveryOptions['standard'] })}>{#each STANDARDS as [id, name] (id)}<option value={id}>{name}</option>{/each}</select></label>
      <p class="m-0"><button class="small" disabled={!picked.length} onclick={() => (seeing = picked[0]?.id ?? null)}>See and weigh it…</button></p>
      <label class="line">Pages <input class="field" value={options.pages} placeholder="all, or 1-3, 7" onchange={(e) => choose({ pages: e.currentTarget.value })} /></label>
      <label class="line">Name <input class="field" list="tokens" value={options.name} onchange={(e) => choose({ name: e.currentTarget.value || '{source}' })} /></label>
      <datalist id="tokens">{#each TOKENS as t (t)}<option value={t}></option>{/each}<option value={'{reference}-{title}'}></option><option value={'{source}-accessible'}></option><option value={'{batch}/{number}-{source}'}></option></datalist>
      <p class="text-quiet m-0 text-sm wrap-anywhere">{told || (names[0] ? `${names[0].name}${names.length > 1 ? ` and ${names.length - 1} more` : ''}` : '')}</p>
      <Checkbox checked={!!options.joined} onchange={(e) => choose({ joined: (e.currentTarget as HTMLInputElement).checked })}>Make one file of all documents</Checkbox>
      <Checkbox checked={!!options.attach_source} onchange={(e) => choose({ attach_source: (e.currentTarget as HTMLInputElement).checked })}>Put what was brought in into the PDF</Checkbox>
      {#if about.told?.post}<Checkbox checked={!!options.post} onchange={(e) => choose({ post: (e.currentTarget as HTMLInputElement).checked })}>Put a copy into <span class="ml-1 break-all">{about.told.post}</span></Checkbox>{/if}
      {#if formats.includes('docx')}<Checkbox checked={!!options.page_breaks} onchange={(e) => choose({ page_breaks: (e.currentTarget as HTMLInputElement).checked })}>DOCX: begin pages where they do on paper</Checkbox>{/if}
      {#if formats.includes('xlsx')}<Checkbox checked={!!options.one_sheet} onchange={(e) => choose({ one_sheet: (e.currentTarget as HTMLInputElement).checked })}>XLSX: all tables on one sheet</Checkbox>{/if}
      <Checkbox checked={!!options.join_tables} onchange={(e) => choose({ join_tables: (e.currentTarget as HTMLInputElement).checked })}>Join tables that go on over pages</Checkbox>
      <Checkbox checked={!!options.keep_running_heads} onchange={(e) => choose({ keep_running_heads: (e.currentTarget as HTMLInputElement).checked })}>Keep running heads and page numbers in plain text</Checkbox>
    </fieldset>
   </div>
   <div class="border-hair flex flex-col gap-2 border-t p-4">
    <Button disabled={!formats.length || !picked.length || unread.length > 0} onclick={() => make()}>
      {waiting ? 'Making…' : names.length ? `Make ${counted(names.length, 'file')}` : 'Make'}
    </Button>
    {#if waiting}
      <div class="flex gap-2">
        <Button class="flex-1" color="alternative" size="sm" onclick={() => void pause(!batch.paused)}>{batch.paused ? 'Go on' : 'Pause'}</Button>
        <Button class="flex-1" color="alternative" size="sm" title="What is made stays, nothing half made is left" onclick={() => void stop()}>Stop</Button>
      </div>
    {/if}
    {#if unread.length}<p class="text-quiet m-0 text-sm">{unread.length} documents are still being read.</p>{/if}
    {#if current.length}
      <Button color="alternative" href="/api/batches/{batch.id}/zip" download>Download all {current.length} as ZIP</Button>
      <a class="text-sm underline" href="/api/batches/{batch.id}/bag" download title="With a record of each file and its digest (RFC 8493)">or as a BagIt bag</a>
    {/if}
   </div>
  </aside>
  <section class="bg-paper min-w-0 flex-1 overflow-auto rounded-lg shadow-sm">
    {#if batch.documents.length === 0}
      <p class="text-quiet p-8 text-center">There is nothing to deliver yet.</p>
    {/if}
    <ul class="m-0 list-none p-0">
      {#if joined.length || joining.length}
        <li class="border-hair flex items-start gap-4 border-b px-5 py-3">
          <div class="min-w-0 flex-1 pl-10"><b>{batch.name}</b><span class="text-quiet block text-sm">several documents as one file</span><span class="text-quiet block text-sm">{good(joined)}</span></div>
          <ul class="files">
            {#each joined as x (x.id)}{@render file(x, titles(x.documents))}{/each}
            {#each joining as x (x.task)}{@render progress(x)}{/each}
          </ul>
        </li>
      {/if}
      {#each batch.documents as d (d.id)}
        {@const made = batch.deliveries.filter((x) => x.documents.length === 1 && x.document_id === d.id)}
        {@const making = batch.making.filter((x) => x.documents.length === 1 && x.documents[0] === d.id)}
        <li class="border-hair flex items-start gap-4 border-b px-5 py-3">
          <Checkbox checked={chosen[d.id] ?? true} onchange={(e) => (chosen[d.id] = (e.currentTarget as HTMLInputElement).checked)} aria-label="Deliver {d.name}" class="mt-1" />
          <div class="min-w-0 flex-1">
            <b>{d.title}</b>
            <span class="text-quiet block text-sm">{d.name}, {counted(d.pages, 'page')}</span>
            {#if good(made)}<span class="text-quiet block text-sm" title="When it was made">{good(made)}</span>{/if}
            {#if d.unread.length}<span class="text-lamp-700 block text-sm">Left out, not read: {pageRuns(d.unread)}</span>{/if}
            {#each d.cautions as c (c)}<span class="text-lamp-700 block text-sm">{c}</span>{/each}
            {#if doubts(d) > 0}
              <button class="plain text-lamp-700 text-sm underline" onclick={() => void view.goDocument(d.id)}>{doubts(d)} doubts are not settled</button>
            {/if}
          </div>
          <ul class="files">
            {#each made as x (x.id)}{@render file(x, '')}{/each}
            {#each making as x (x.task)}{@render progress(x)}{/each}
            {#each batch.failed.filter((f) => f.document_id === d.id && f.stage === 'deliver') as f (f.id)}
              <li class="text-lamp-700" role="alert">Not made: {f.reason} <button class="plain underline" onclick={() => void again()}>Try again</button></li>
            {/each}
            {#if !made.length && !making.length}<li class="text-quiet">nothing made yet</li>{/if}
          </ul>
        </li>
      {/each}
    </ul>
  </section>
</div>

{#snippet file(x: Batch['deliveries'][number], of: string)}
  <li class="flex items-baseline gap-2" title={of}>
    <div class="min-w-0 flex-1">
      {#if x.current}
        <a class="text-primary-700 font-bold break-all underline" href="/api/deliveries/{x.id}/file" download={x.name.split('/').at(-1)}>{x.name}</a>
        <span class="text-quiet">{sized(x.size)}</span>
        {#if x.larger}<span class="text-quiet block">{x.larger}</span>{/if}
      {:else}
        <span class="text-quiet"><s class="break-all">{x.name}</s> changed since; make it again</span>
      {/if}
    </div>
    {#if x.current}<a class="underline" href="/api/deliveries/{x.id}/record.html" target="_blank" title="From what, how, when and by whom it was made, and its digest">record</a>{/if}
    <button class="plain" aria-label="Take {x.name} away" onclick={() => void forget(x.id)}>✕</button>
  </li>
{/snippet}

{#snippet progress(x: Batch['making'][number])}
  <li class="text-quiet" role="status">
    {x.format.toUpperCase()} {batch.paused && x.state === 'waiting' ? 'waits' : x.state === 'waiting' ? 'is next' : x.reached ? `page ${x.reached} of ${x.pages}` : 'is being made…'}
    {#if x.reached}<progress class="w-full" max={x.pages} value={x.reached} aria-label="{x.format.toUpperCase()} of {titles(x.documents)}"></progress>{/if}
  </li>
{/snippet}

{#if seeing !== null}<QualitySample document={seeing} {options} onchoose={(quality) => choose({ quality })} onclose={() => (seeing = null)} />{/if}

<Modal bind:open={asking} title={lacking.length ? 'Deliver without the pages that failed?' : 'Deliver, knowing this?'} size="sm">
  {#if lacking.length}
    <ul class="m-0 list-none p-0 text-sm">
      {#each lacking as d (d.id)}<li><b class="break-all">{d.name}</b>: {pageRuns(d.unread)} of {d.pages}</li>{/each}
    </ul>
    <p class="text-sm">These pages could not be read, for the reasons that Bring in names. They will be missing in what is made.</p>
  {/if}
  {#if cautioned.length}
    <ul class="m-0 list-none p-0 text-sm">
      {#each cautioned as d (d.id)}<li><b class="break-all">{d.name}</b>: {d.cautions.join('; ')}</li>{/each}
    </ul>
    <p class="text-sm">What was brought in stays as it is, signatures and locks with it.</p>
  {/if}
  <div class="flex justify-end gap-3">
    <Button color="alternative" onclick={() => (asking = false)}>Not yet</Button>
    <Button onclick={() => make(true)}>{lacking.length ? 'Deliver without them' : 'Deliver'}</Button>
  </div>
</Modal>

<style>
  .files { display: flex; flex-direction: column; gap: 4px; width: 28.5rem; flex-shrink: 0; margin: 0; padding: 0; list-style: none; font-size: 14px; }
  progress { accent-color: var(--color-primary-700); height: 8px; }
  .formats { display: grid; grid-template-columns: 1fr 1fr; gap: 4px 8px; }
  .line { display: flex; gap: 6px; align-items: center; font-size: 14px; }
  .line select, .line input { flex: 1; min-width: 0; }
  select, .field { border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; padding: 2px 8px; font-size: 14px; }
  select { padding-right: 26px; }
  .small { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 2px 9px; font-size: 14px; min-height: 26px; }
  .small:disabled { color: #6d7c78; }
  .small[aria-pressed='true'] { background: var(--color-lamp-300); border-color: var(--color-primary-900); }
</style>
