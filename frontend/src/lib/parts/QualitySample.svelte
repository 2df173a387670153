<script lang="ts">
  import { Modal, Spinner } from 'flowbite-svelte';
  import { api, type DeliveryOptions, type Document, type Weight } from '../api/client';
  import { notices } from '../bench/notices.svelte';
  import { sized } from '../bench/sizes';

  /** A page as it will be delivered, in each quality, and what the document weighs then. */
  type Quality = NonNullable<DeliveryOptions['quality']>;
  let { document: id, options, onchoose, onclose }: { document: number; options: DeliveryOptions; onchoose: (quality: Quality) => void; onclose: () => void } = $props();
  const NAMES: Record<Quality, string> = { as_scanned: 'As scanned', balanced: 'Balanced', smallest: 'Smallest' };
  const ORDER: Quality[] = ['as_scanned', 'balanced', 'smallest'];
  let open = $state(true);
  let told = $state<Document | null>(null);
  let weights = $state.raw<Weight[]>([]);
  let at = $state(0);
  let larger = $state(true);
  let loaded = $state('');
  let glass = $state<HTMLDivElement>();
  const shown = $derived(loaded !== '');
  const quality = $derived((options.quality ?? 'as_scanned') as Quality);
  const tones = $derived(options.tones ?? 'as_is');
  const page = $derived(told?.pages[at]);
  const address = $derived(page ? `/api/pages/${page.id}/as-delivered?quality=${quality}&tones=${tones}` : '');

  $effect(() => {
    void notices.attempt(async () => (told = await api.document(id)));
  });
  $effect(() => {
    const wanted = tones;
    if (!shown) return; // first the page that is looked at
    weights = [];
    void notices.attempt(async () => {
      const found = await api.weights(id, wanted);
      if (wanted === tones) weights = found;
    });
  });
  $effect(() => {
    if (!open) onclose();
  });

  function onKey(event: KeyboardEvent) {
    const chosen = ORDER[Number(event.key) - 1];
    if (chosen) onchoose(chosen);
    else if (event.key === 'PageDown') at = Math.min(at + 1, (told?.pages.length ?? 1) - 1);
    else if (event.key === 'PageUp') at = Math.max(0, at - 1);
    else return;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={onKey} />

<Modal bind:open title="How it will look, and what it weighs" size="xl" class="bg-paper" outsideclose>
  <div class="bar" role="group" aria-label="Quality">
    {#each ORDER as q, i (q)}
      {@const w = weights.find((x) => x.quality === q)}
      <button aria-pressed={quality === q} onclick={() => onchoose(q)}><span class="key">{i + 1}</span> {NAMES[q]} <span class="quiet">{w ? `about ${sized(w.bytes)}` : '…'}</span></button>
    {/each}
    <span class="space"></span>
    <button aria-pressed={larger} onclick={() => (larger = !larger)}>Magnified</button>
    <button aria-label="Previous page" disabled={at === 0} onclick={() => at--}>◂</button>
    <span>page {at + 1} of {told?.pages.length ?? 1}</span>
    <button aria-label="Next page" disabled={at + 1 >= (told?.pages.length ?? 1)} onclick={() => at++}>▸</button>
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div bind:this={glass} class="glass" tabindex="0" role="region" aria-label="The page as it will be delivered">
    {#if loaded !== address}<p class="wait"><Spinner size="5" /></p>{/if}
    {#if address}<img class:larger src={address} alt="Page {at + 1}, {NAMES[quality].toLowerCase()}" onload={() => { if (!loaded) glass?.scrollTo(glass.scrollWidth * 0.08, glass.scrollHeight * 0.05); loaded = address; }} />{/if}
  </div>
  <p class="quiet">{weights[0] ? `The pictures of the whole document, measured on ${weights[0].pages} of its pages; text and tags come on top.` : 'Being weighed…'} What is black and white stays so.</p>
</Modal>

<style>
  .bar { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; font-size: 14px; color: var(--color-ink); }
  button { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 3px 10px; font-size: 14px; min-height: 26px; }
  button[aria-pressed='true'] { background: var(--color-lamp-300); border-color: var(--color-primary-900); }
  button:disabled { color: #6d7c78; }
  .space { flex: 1; }
  .glass { position: relative; height: 55vh; overflow: auto; background: var(--color-desk); border: 1px solid var(--color-hair); }
  img { width: 100%; max-width: 700px; margin: 0 auto; display: block; }
  img.larger { width: auto; max-width: none; }
  .wait { position: sticky; top: 10px; left: 10px; margin: 0; height: 0; }
  .quiet { color: var(--color-quiet); font-size: 14px; margin: 0; }
  button[aria-pressed='true'] .quiet { color: var(--color-ink); }
</style>
