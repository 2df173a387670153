<script lang="ts">
  import { edits, type Clash } from '../bench/edits.svelte';

  let { clash, more }: { clash: Clash; more: number } = $props();
  const HEIGHT = 40; // pixels of the ink
  const WIDEST = 420;

  const ink = $derived.by(() => {
    const [l, t, r, b] = clash.box as [number, number, number, number], around = (b - t) * 0.5;
    const k = Math.min(HEIGHT / (b - t + 2 * around), WIDEST / (r - l + 2 * around));
    return `width:${(r - l + 2 * around) * k}px;height:${(b - t + 2 * around) * k}px;background-image:url(${clash.image});background-size:${clash.size[0] * k}px ${clash.size[1] * k}px;background-position:${-(l - around) * k}px ${-(t - around) * k}px`;
  });
</script>

<section class="clash" aria-label="Changed twice" aria-live="polite">
  <p>Page {clash.position + 1}: “<bdi>{clash.read}</bdi>” was changed here and elsewhere.{#if more} <span class="text-quiet">{more} more after it.</span>{/if}</p>
  {#if clash.image}<span class="ink" style={ink} role="presentation"></span>{/if}
  <div class="both">
    <button onclick={() => void edits.choose(false)}><span>Stands there <kbd>Alt T</kbd></span><b dir="auto">{clash.theirs}</b></button>
    <button onclick={() => void edits.choose(true)}><span>Mine <kbd>Alt M</kbd></span><b dir="auto">{clash.mine}</b></button>
  </div>
</section>

<style>
  .clash { position: fixed; inset-block-end: 1rem; inset-inline-end: 1rem; z-index: 50; width: max-content; max-width: 30rem; background: var(--color-paper); color: var(--color-ink); border-top: 6px double #b4610b; border-radius: 6px; padding: 10px 14px; box-shadow: 0 4px 18px rgb(0 0 0 / 30%); }
  p { margin: 0 0 6px; }
  .ink { display: block; background-repeat: no-repeat; background-color: #fff; border-radius: 2px; margin-bottom: 6px; }
  .both { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; }
  button { border: 1px solid currentcolor; border-radius: 4px; background: transparent; color: inherit; text-align: start; padding: 4px 10px; display: grid; gap: 2px; min-width: 9rem; }
  button span { font-size: 13px; }
  b { font-size: 18px; overflow-wrap: anywhere; }
  kbd { font: inherit; font-size: 12px; border: 1px solid currentcolor; border-radius: 3px; padding: 0 4px; }
</style>
