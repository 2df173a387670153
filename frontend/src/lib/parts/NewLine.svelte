<script lang="ts">
  import { about } from '../bench/about.svelte';
  import { findRegion } from '../bench/content';
  import { writing } from '../bench/writing.svelte';
  import type { Box, Page } from '../api/client';

  /** A line that the reading missed: its place is drawn on the ink or moved by keys, its text typed beneath. */
  let { page, scale, room }: { page: Page; scale: number; room: number } = $props();
  const STEP = 6; // pixels of the page
  let text = $state('');
  let field = $state<HTMLInputElement>();
  let from: { x: number; y: number } | null = null;
  const line = $derived(writing.newLine!);
  const region = $derived(findRegion(page.content, line.region));
  const rtl = $derived(about.rightToLeft(region?.language));
  const box = $derived(line.box);
  const k = $derived(Math.min((room - 20) / (box[2] - box[0] + 20), Math.max(scale * 1.9, 60 / Math.max(1, box[3] - box[1]))));
  const width = $derived(Math.max(420, (box[2] - box[0] + 20) * k + 20));
  const left = $derived(Math.max(0, Math.min(box[0] * scale - 10, (page.content?.width ?? 0) * scale - width)));

  $effect(() => field?.focus({ preventScroll: true }));

  const put = (to: Box) => (writing.newLine = { ...line, box: to });

  function onDown(event: PointerEvent) {
    const frame = (event.currentTarget as Element).getBoundingClientRect();
    from = { x: (event.clientX - frame.left) / scale, y: (event.clientY - frame.top) / scale };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    event.preventDefault();
  }

  function onMove(event: PointerEvent) {
    if (!from) return;
    const frame = (event.currentTarget as Element).getBoundingClientRect();
    const [x, y] = [(event.clientX - frame.left) / scale, (event.clientY - frame.top) / scale];
    if (Math.abs(x - from.x) < 8 || Math.abs(y - from.y) < 8) return;
    put([Math.min(x, from.x), Math.min(y, from.y), Math.max(x, from.x), Math.max(y, from.y)].map(Math.round) as Box);
  }

  function onKey(event: KeyboardEvent) {
    const [l, t, r, b] = box;
    const by = event.key === 'ArrowUp' || event.key === 'ArrowLeft' ? -STEP : STEP;
    if (event.key === 'Escape') writing.newLine = null;
    else if (event.key === 'Enter') void writing.putIn(text);
    else if (event.altKey && /^Arrow(Up|Down)$/.test(event.key)) put(event.shiftKey ? [l, t, r, Math.max(t + STEP, b + by)] : [l, t + by, r, b + by]);
    else if (event.altKey && /^Arrow(Left|Right)$/.test(event.key)) put(event.shiftKey ? [l, t, Math.max(l + STEP, r + by), b] : [l + by, t, r + by, b]);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="drawing" data-lifted style:width="{(page.content?.width ?? 0) * scale}px" style:height="{(page.content?.height ?? 0) * scale}px" role="presentation" onpointerdown={onDown} onpointermove={onMove} onpointerup={() => { from = null; field?.focus(); }}>
  <span class="place" style:left="{box[0] * scale}px" style:top="{box[1] * scale}px" style:width="{(box[2] - box[0]) * scale}px" style:height="{(box[3] - box[1]) * scale}px"></span>
</div>
<div class="new" data-lifted style:left="{left}px" style:top="{box[3] * scale + 8}px" style:width="{width}px" role="group" aria-label="A line put in">
  <div class="ink" style:height="{(box[3] - box[1] + 16) * k}px" style:background-image="url({page.cleaned})" style:background-size="{(page.content?.width ?? 0) * k}px {(page.content?.height ?? 0) * k}px" style:background-position="{-(box[0] - 10) * k}px {-(box[1] - 8) * k}px"></div>
  <input bind:this={field} bind:value={text} dir={rtl ? 'rtl' : 'ltr'} lang={about.languageTag(region?.language)} aria-label="Text of the new line" placeholder="What this line says" spellcheck="false" onkeydown={onKey} />
  <div class="foot">
    <span>Draw its place on the sheet, or move it by Alt and arrows, with Shift make it larger.</span>
    <button disabled={!text.trim()} onclick={() => void writing.putIn(text)}>Put in <span class="key">Enter</span></button>
    <button onclick={() => (writing.newLine = null)}>Leave it <span class="key">Esc</span></button>
  </div>
</div>

<style>
  .drawing { position: absolute; inset: 0; z-index: 4; cursor: crosshair; touch-action: none; }
  .place { position: absolute; border: 2px dashed var(--color-primary-900); background: #e09a2e2e; }
  .new { position: absolute; z-index: 5; background: #fffdf7; border: 2px solid var(--color-primary-900); border-radius: 8px; box-shadow: 0 10px 34px #0006; overflow: hidden; padding-top: 6px; }
  .ink { margin: 0 10px; background-repeat: no-repeat; }
  input { width: calc(100% - 20px); margin: 4px 10px; font-size: 18px; padding: 3px 8px; border: 1px solid #7b8a86; border-radius: 5px; background: #fff; }
  .foot { display: flex; align-items: center; gap: 10px; background: var(--color-primary-900); color: var(--color-paper); padding: 4px 10px; font-size: 14px; }
  .foot span:first-child { flex: 1; }
  .foot button { background: var(--color-primary-600); color: #fff; border: 0; border-radius: 5px; padding: 3px 10px; white-space: nowrap; }
</style>
