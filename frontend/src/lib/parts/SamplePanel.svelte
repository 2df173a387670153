<script lang="ts">
  import { onMount } from 'svelte';
  import { api, type Sample } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { edits } from '../bench/edits.svelte';
  import { notices } from '../bench/notices.svelte';
  import { inTurn } from '../bench/turns';
  import { saying } from '../bench/saying.svelte';

  let { onclose }: { onclose: () => void } = $props();
  const HEIGHT = 72; // pixels of the ink
  const WIDEST = 380;
  let told = $state<Sample | null>(null);
  let size = $state(50);
  let onTheirWay = 0;
  let corrected = $state<string | null>(null);
  let field = $state<HTMLInputElement>();
  let panel = $state<HTMLDivElement>();
  const here = $derived(told?.waiting[0]);
  const id = $derived(desk.document?.id ?? 0);
  const share = (v: number) => `${(v * 100).toFixed(1)} %`;

  onMount(() => {
    panel?.focus();
    void notices.attempt(async () => (told = await api.sample(id)));
  });
  $effect(() => {
    void here?.word;
    if (corrected !== null) field?.focus();
    else panel?.focus();
  });

  const ink = $derived.by(() => {
    if (!here?.size) return '';
    const [l, t, r, b] = here.box, aside = (b - t) * 0.8;
    const k = Math.min(HEIGHT / (b - t + aside), WIDEST / (r - l + 2 * aside));
    const [x, y] = [l - aside, t - aside / 2];
    return `width:${(r - l + 2 * aside) * k}px;height:${(b - t + aside) * k}px;background-image:url(${here.image});background-size:${here.size[0] * k}px ${here.size[1] * k}px;background-position:${-x * k}px ${-y * k}px`;
  });

  const draw = () => notices.attempt(async () => (told = await api.drawSample(id, size)));
  const discard = () => notices.attempt(async () => { await api.discardSample(id); told = await api.sample(id); });

  /** The verdict counts at once; the server follows. */
  function judge(right: boolean) {
    const word = here;
    if (!word || !told) return;
    told = { ...told, waiting: told.waiting.slice(1) };
    corrected = null;
    onTheirWay++;
    void inTurn(() =>
      notices.attempt(async () => {
        const fresh = await api.judgeDrawn(id, word.page, word.word, right).finally(() => onTheirWay--);
        // What was judged meanwhile is not asked again.
        if (told) told = { ...fresh, waiting: onTheirWay ? told.waiting : fresh.waiting };
      }),
    );
    saying.say(right ? 'Right' : 'Wrong');
  }

  async function correct() {
    const word = here, text = corrected?.trim();
    if (!word || text === undefined) return;
    judge(false);
    if (text !== word.text) await edits.edit({ op: 'set_word', word_id: word.word, text }, false, word.page);
  }

  function onKey(event: KeyboardEvent) {
    const writing = event.target instanceof HTMLInputElement;
    if (event.key === 'Escape') {
      if (corrected !== null) corrected = null;
      else onclose();
    } else if (event.key === 'Enter' && corrected !== null) void correct();
    else if (writing) {
      event.stopPropagation();
      return;
    } else if (event.key === 'Enter' && here && (event.target as HTMLElement).tagName !== 'BUTTON') judge(true);
    else if (event.key.toLowerCase() === 'w' && here) corrected = here.text;
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="panel" role="dialog" aria-label="Sample of words" tabindex="-1" bind:this={panel} onkeydown={onKey}>
  <div class="head"><b>Sample of words that nobody has looked at</b><button aria-label="Close (Esc)" onclick={onclose}>✕</button></div>
  {#if told}
    {#if here}
      <p class="m-0">Does the text say what the ink says? {told.waiting.length} to go.</p>
      <div class="ink" style={ink} role="img" aria-label="The word's ink"></div>
      {#if corrected === null}
        <p class="text" lang={desk.document?.language ?? undefined}><bdi>{here.text}</bdi></p>
        <div class="row">
          <button onclick={() => judge(true)}>Right <span class="key">Enter</span></button>
          <button onclick={() => (corrected = here.text)}>Wrong <span class="key">W</span></button>
          <span class="quiet">page {here.position + 1}</span>
        </div>
      {:else}
        <label class="row">It says <input bind:this={field} bind:value={corrected} spellcheck="false" /></label>
        <div class="row"><button onclick={() => void correct()}>Correct <span class="key">Enter</span></button></div>
      {/if}
    {:else}
      <div class="row"><label>Draw <input type="number" min="1" max="5000" bind:value={size} /> words by lot</label> <button onclick={() => void draw()}>Draw</button></div>
    {/if}
    {#if told.looked_at}
      <p class="m-0" role="status"><b>{told.right} of {told.looked_at}</b> right: {share(told.right / told.looked_at)}, nineteen times of twenty between {share(told.between[0])} and {share(told.between[1])}.
        {#if told.more}For ± {share(told.reach)} look at {told.more.toLocaleString()} more.{/if}</p>
      {#if !here}<div class="row"><button onclick={() => void discard()}>Begin anew</button></div>{/if}
    {/if}
  {/if}
</div>

<style>
  .panel { position: fixed; z-index: 30; top: 62px; right: 10px; width: 27rem; display: flex; flex-direction: column; gap: 8px; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 8px; box-shadow: 0 8px 30px #0005; padding: 10px 14px 14px; font-size: 15px; }
  .head, .row { display: flex; align-items: center; gap: 8px; }
  .head { justify-content: space-between; }
  .head button { border: 0; background: transparent; padding: 2px 8px; }
  .ink { background-repeat: no-repeat; background-color: #fff; border-radius: 4px; }
  .text { margin: 0; font-size: 26px; }
  .row button { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; padding: 4px 12px; }
  .row input { border: 1px solid #7b8a86; border-radius: 5px; padding: 3px 8px; min-width: 0; }
  .row input[type='number'] { width: 6em; }
  .quiet { color: var(--color-quiet); }
</style>
