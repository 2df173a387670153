<script lang="ts">
  import { hand } from '../bench/hand.svelte';
  import { cleaning } from '../bench/cleaning.svelte';
  import { remember, remembered, typing } from '../bench/keys';

  // `size` is in pixels of the page at its own resolution; an inch is `dpi` of them.
  let { size, scale, dpi }: { size: [number, number]; scale: number; dpi: number } = $props();
  let seamAt = $state(Number(remembered('seam', '0.5')));
  let dragging = $state<string | null>(null);
  let drawn = $state<[number, number][]>([]);
  let box = $state<HTMLDivElement>();

  type Pair = [number, number];
  const treatment = $derived(cleaning.treatment);
  const applied = $derived(cleaning.applied);
  const upright = $derived((applied?.upright ?? [size[0] / dpi, size[1] / dpi]) as Pair);
  const corners = $derived((treatment?.outline?.switch === 'by_hand' && treatment.outline.corners ? treatment.outline.corners : (applied?.corners ?? [[0, 0], [upright[0], 0], upright, [0, upright[1]]])) as Pair[]);
  const fold = $derived((treatment?.split?.switch === 'by_hand' && treatment.split.fold ? treatment.split.fold : (applied?.fold ?? [size[0] / dpi / 2, size[0] / dpi / 2])) as Pair);
  const cut = $derived((treatment?.trim?.switch === 'by_hand' && treatment.trim.box ? treatment.trim.box : (applied?.box ?? [0, 0, upright[0], upright[1]])) as [number, number, number, number]);
  const bend = $derived(treatment?.flatten?.switch === 'by_hand' && treatment.flatten.bend ? treatment.flatten.bend : null);

  const handles = $derived.by((): { id: string; x: number; y: number; name: string; way: 'both' | 'x' | 'y' }[] => {
    if (hand.handles === 'outline')
      return corners.map(([x, y], i) => ({ id: `corner-${i}`, x, y, way: 'both' as const, name: ['Upper left', 'Upper right', 'Lower right', 'Lower left'][i]! + ' corner' }));
    if (hand.handles === 'fold')
      return [{ id: 'fold-0', x: fold[0], y: 0.25, way: 'x', name: 'Fold at the top' }, { id: 'fold-1', x: fold[1], y: size[1] / dpi - 0.25, way: 'x', name: 'Fold at the bottom' }];
    if (hand.handles === 'cut') {
      const [l, t, r, b] = cut;
      return [
        { id: 'cut-0', x: l, y: (t + b) / 2, way: 'x', name: 'Left cut' }, { id: 'cut-1', x: (l + r) / 2, y: t, way: 'y', name: 'Upper cut' },
        { id: 'cut-2', x: r, y: (t + b) / 2, way: 'x', name: 'Right cut' }, { id: 'cut-3', x: (l + r) / 2, y: b, way: 'y', name: 'Lower cut' },
      ];
    }
    if (hand.handles === 'grid' && bend)
      return bend.down.flatMap((row, r) => row.map((shift, c) => {
        const flatX = (c / (row.length - 1)) * bend.size[0]!;
        return { id: `grid-${r}-${c}`, x: flatX + bend.along[c]!, y: (r / (bend.down.length - 1)) * bend.size[1]! + shift, way: 'y' as const, name: `Grid row ${r + 1}, column ${c + 1}` };
      }));
    return [];
  });

  const gridLines = $derived.by(() => {
    if (hand.handles !== 'grid' || !bend) return [];
    return bend.down.map((row, r) => 'M' + row.map((shift, c) => `${((c / (row.length - 1)) * bend.size[0]! + bend.along[c]!) * dpi} ${((r / (bend.down.length - 1)) * bend.size[1]! + shift) * dpi}`).join(' L'));
  });

  function move(id: string, dx: number, dy: number) {
    const [kind, a, b] = id.split('-');
    const t = treatment;
    if (!t) return;
    const i = Number(a);
    if (kind === 'corner') {
      const next = corners.map((c, n) => (n === i ? [c[0] + dx, c[1] + dy] : [...c]));
      cleaning.change({ outline: { switch: 'by_hand', corners: next as never } }, id);
    } else if (kind === 'fold') {
      const next = [...fold];
      next[i] = Math.min(Math.max(0.1, next[i]! + dx), size[0] / dpi - 0.1);
      cleaning.change({ split: { switch: 'by_hand', fold: next as never } }, id);
    } else if (kind === 'cut') {
      const next = [...cut];
      next[i] = next[i]! + (i % 2 ? dy : dx);
      if (next[2]! - next[0]! > 0.3 && next[3]! - next[1]! > 0.3) cleaning.change({ trim: { ...t.trim, switch: 'by_hand', box: next as never } }, id);
    } else if (kind === 'grid' && bend) {
      const down = bend.down.map((row, r) => row.map((v, c) => (r === i && c === Number(b) ? v + dy : v)));
      cleaning.change({ flatten: { switch: 'by_hand', bend: { ...bend, down } as never } }, id);
    }
  }

  let last = { x: 0, y: 0 };
  function onHandleDown(event: PointerEvent, id: string) {
    event.stopPropagation();
    dragging = id;
    cleaning.release();
    last = { x: event.clientX, y: event.clientY };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function onHandleMove(event: PointerEvent, id: string) {
    if (dragging !== id) return;
    move(id, (event.clientX - last.x) / scale / dpi, (event.clientY - last.y) / scale / dpi);
    last = { x: event.clientX, y: event.clientY };
  }

  function onHandleUp() {
    dragging = null;
    cleaning.release();
  }

  function onHandleKey(event: KeyboardEvent, id: string) {
    const step = (event.shiftKey ? 10 : 1) / scale / dpi;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    move(id, way[0]! * step, way[1]! * step);
  }

  const place = (event: PointerEvent): Pair => {
    const frame = box!.getBoundingClientRect();
    return [(event.clientX - frame.left) / frame.width, (event.clientY - frame.top) / frame.height];
  };

  function onDrawDown(event: PointerEvent) {
    event.stopPropagation();
    if (event.button !== 0) return;
    const at = place(event);
    if (hand.tool === 'mark' || hand.tool === 'alike') {
      void cleaning.addPatches([at], true, hand.tool === 'alike');
      return;
    }
    drawn = [at];
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function onDrawMove(event: PointerEvent) {
    if (!drawn.length) return;
    event.stopPropagation();
    const at = place(event);
    if (hand.tool === 'freehand') drawn = [...drawn, at];
    else drawn = [drawn[0]!, [at[0], drawn[0]![1]], at, [drawn[0]![0], at[1]]];
  }

  function onDrawUp() {
    const outline = drawn.map(([x, y]): Pair => [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))]);
    drawn = [];
    if (outline.length < 3) return;
    const wide = Math.max(...outline.map((p) => p[0])) - Math.min(...outline.map((p) => p[0]));
    const tall = Math.max(...outline.map((p) => p[1])) - Math.min(...outline.map((p) => p[1]));
    if (wide * size[0] * scale < 4 || tall * size[1] * scale < 4) return;
    void cleaning.addPatches(outline.slice(0, 2000), hand.tool !== 'restore');
  }

  function onSeam(event: PointerEvent) {
    if (dragging !== 'seam') return;
    seamAt = Math.min(1, Math.max(0, place(event)[0]));
  }

  function onSeamKey(event: KeyboardEvent) {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02, Home: -1, End: 1 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    seamAt = Math.min(1, Math.max(0, seamAt + by));
  }

  function onKey(event: KeyboardEvent) {
    if (typing(event)) return;
    if (event.key === 'Escape' && (hand.handles !== 'none' || hand.tool !== 'none')) {
      if (hand.handles !== 'none') cleaning.open('none');
      hand.tool = 'none';
      drawn = [];
    } else if (event.key.toLowerCase() === 's' && !event.ctrlKey && !event.metaKey) cleaning.compare(!hand.seam);
  }

  $effect(() => remember('seam', String(seamAt)));
  const seamShown = $derived(hand.seam && hand.handles === 'none' && cleaning.before !== null);
</script>

<svelte:window onkeydown={onKey} />

<div bind:this={box} class="overlay" aria-hidden={undefined}>
  {#if seamShown}
    <img class="before" src={cleaning.before?.image} alt="The scan beneath, up to the seam" draggable="false" style:clip-path="inset(0 {100 - seamAt * 100}% 0 0)" />
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div class="seam" style:left="{seamAt * 100}%" role="slider" tabindex="0" aria-label="Seam between scan and cleaned page" aria-valuenow={Math.round(seamAt * 100)} aria-valuemin="0" aria-valuemax="100"
      onpointerdown={(e) => { e.stopPropagation(); dragging = 'seam'; (e.currentTarget as Element).setPointerCapture(e.pointerId); }}
      onpointermove={onSeam} onpointerup={() => (dragging = null)} onkeydown={onSeamKey}><span class="tag left">scan</span><span class="tag right">cleaned</span></div>
  {/if}
  {#if hand.tool !== 'none'}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <div class="draw" onpointerdown={onDrawDown} onpointermove={onDrawMove} onpointerup={onDrawUp} onpointercancel={() => (drawn = [])}></div>
  {/if}
  <svg viewBox="0 0 {size[0]} {size[1]}">
    {#if hand.handles === 'outline'}
      <path class="shade" d="M0 0 H{size[0]} V{size[1]} H0 Z M{corners.map(([x, y]) => `${x * dpi} ${y * dpi}`).join(' L')} Z" />
      <path class="edge" d="M{corners.map(([x, y]) => `${x * dpi} ${y * dpi}`).join(' L')} Z" stroke-width={2.5 / scale} />
    {:else if hand.handles === 'fold'}
      <path class="edge" d="M{fold[0] * dpi} 0 L{fold[1] * dpi} {size[1]}" stroke-width={2.5 / scale} stroke-dasharray="{10 / scale} {6 / scale}" />
    {:else if hand.handles === 'cut'}
      <path class="shade" d="M0 0 H{size[0]} V{size[1]} H0 Z M{cut[0] * dpi} {cut[1] * dpi} V{cut[3] * dpi} H{cut[2] * dpi} V{cut[1] * dpi} Z" />
      <rect class="edge" x={cut[0] * dpi} y={cut[1] * dpi} width={(cut[2] - cut[0]) * dpi} height={(cut[3] - cut[1]) * dpi} stroke-width={2.5 / scale} />
    {/if}
    {#each gridLines as line, i (i)}<path class="edge" d={line} stroke-width={2 / scale} />{/each}
    {#each handles as h (h.id)}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <g class="handle {h.way}" class:held={dragging === h.id} transform="translate({h.x * dpi} {h.y * dpi}) scale({1 / scale})" role="slider" tabindex="0" aria-label={h.name} aria-valuenow={Math.round((h.way === 'y' ? h.y : h.x) * 254) / 10} aria-valuetext="{(h.x * 25.4).toFixed(1)} mm, {(h.y * 25.4).toFixed(1)} mm"
        onpointerdown={(e) => onHandleDown(e, h.id)} onpointermove={(e) => onHandleMove(e, h.id)} onpointerup={onHandleUp} onpointercancel={onHandleUp} onblur={() => cleaning.release()} onkeydown={(e) => onHandleKey(e, h.id)}>
        <circle class="reach" r="16" />
        {#if h.way === 'both'}<path d="M0 -9 L9 0 L0 9 L-9 0 Z" />{:else if h.way === 'x'}<path d="M-10 0 L-3 -7 V7 Z M10 0 L3 -7 V7 Z" />{:else if h.id.startsWith('grid')}<circle class="dot" r="5" />{:else}<path d="M0 -10 L-7 -3 H7 Z M0 10 L-7 3 H7 Z" />{/if}
      </g>
    {/each}
    {#if drawn.length > 1}<path class="drawn" class:back={hand.tool === 'restore'} d="M{drawn.map(([x, y]) => `${x * size[0]} ${y * size[1]}`).join(' L')} Z" stroke-width={2 / scale} />{/if}
  </svg>
</div>

<style>
  .overlay { position: absolute; inset: 0; pointer-events: none; user-select: none; }
  .overlay > svg { position: absolute; inset: 0; width: 100%; height: 100%; overflow: visible; }
  .before { position: absolute; inset: 0; width: 100%; height: 100%; user-select: none; }
  .seam { position: absolute; top: 0; bottom: 0; width: 24px; margin-left: -12px; cursor: ew-resize; pointer-events: auto; touch-action: none; }
  .seam::before { content: ''; position: absolute; left: 11px; top: 0; bottom: 0; width: 2px; background: var(--color-lamp-500); }
  .seam::after { content: ''; position: sticky; display: block; top: 45vh; margin: 45vh auto 0; width: 14px; height: 44px; border-radius: 7px; background: var(--color-lamp-500); border: 2px solid var(--color-primary-900); }
  .tag { position: absolute; top: 6px; font-size: 12.5px; background: var(--color-primary-900); color: var(--color-paper); border-radius: 4px; padding: 1px 7px; }
  .tag.left { right: 18px; } .tag.right { left: 18px; }
  .draw { position: absolute; inset: 0; pointer-events: auto; cursor: crosshair; touch-action: none; }
  .shade { fill: #0a1f1e66; fill-rule: evenodd; stroke: none; }
  .edge { fill: none; stroke: #8a4b06; }
  .handle { pointer-events: auto; cursor: move; touch-action: none; }
  .handle.x { cursor: ew-resize; } .handle.y { cursor: ns-resize; }
  .handle path, .handle .dot { fill: var(--color-lamp-500); stroke: #0a1f1e; stroke-width: 1.5; }
  .handle .reach { fill: transparent; }
  .handle:hover path, .handle:hover .dot, .handle.held path, .handle.held .dot { fill: #fff; }
  .handle:focus-visible { outline: none; } .handle:focus-visible .reach { stroke: var(--color-lamp-500); stroke-width: 3; }
  .drawn { fill: #e09a2e44; stroke: #8a4b06; }
  .drawn.back { fill: #1d5f5833; stroke: #143d3a; stroke-dasharray: 40 20; }
</style>
