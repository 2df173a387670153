<script lang="ts">
  import { Spinner } from 'flowbite-svelte';

  let { src, alt }: { src: string; alt: string } = $props();
  let came = $state(false);
  let lost = $state('');
  /** A new element asks again for what did not come; the address stays, so that it is kept as before. */
  let tries = $state(0);

  function again() {
    lost = '';
    tries++;
  }
</script>

<!-- Painted with the blocks that lie over it, never a moment later, where it is here already. -->
{#key tries}<img {src} {alt} draggable="false" decoding="sync" class:lost={lost === src} onload={() => ((came = true), (lost = ''))} onerror={() => (lost = src)} />{/key}
{#if lost === src}
  <p class="told" role="alert">The picture of this page did not come. <button onclick={again}>Try again</button></p>
{:else if !came}
  <p class="told coming" role="status"><Spinner size="4" /> The picture is on its way…</p>
{/if}

<style>
  img { display: block; width: 100%; height: 100%; user-select: none; }
  img.lost { visibility: hidden; }
  .told { position: absolute; z-index: 4; left: 14px; top: 14px; margin: 0; display: flex; gap: 8px; align-items: center; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 6px; padding: 3px 12px; }
  .told button { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; color: var(--color-ink); padding: 0 8px; }
  .coming { animation: coming 0s 400ms both; }
  @keyframes coming { from { visibility: hidden; } to { visibility: visible; } }
</style>
