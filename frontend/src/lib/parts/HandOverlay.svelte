<script lang="ts">
  import { untrack } from 'svelte';
  import type { Region } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { boxOf, findRegion } from '../bench/content';
  import { headings } from '../bench/headings.svelte';
  import { typing } from '../bench/keys';
  import { everything, gapsOf, handlesOf, moved, rectangle, regionAt, shifted, threaded, upright, type Pair } from '../bench/outline';
  import { saying } from '../bench/saying.svelte';
  import { view as atWork } from '../bench/view.svelte';
  import { selection } from '../bench/selection.svelte';
  import { nameOf, shaping, type Kind } from '../bench/shaping.svelte';
  import GridOverlay from './GridOverlay.svelte';

  // `size` is in pixels of the page, `scale` in screen pixels for each of them; `view` is the part of the page in sight.
  let { size, scale, ordered, view }: { size: Pair; scale: number; ordered: Region[]; view: () => [number, number, number, number] } = $props();
  let layer = $state<SVGSVGElement>();
  let choice = $state<HTMLDivElement>();
  let freely = $state(false);
  let grip: { handle: number; last: Pair } | null = null;
  /** A cut by keys: across between lines, or down. */
  let blade = $state<{ region: Region; down: boolean; at: number } | null>(null);
  let idle: ReturnType<typeof setTimeout> | null = null;
  const BESIDE = 8; // screen pixels
  const TARGET = 24; // screen pixels
  const BEAD = 14; // screen pixels: numbers stand beside their blocks, on white
  const SETTLES = 900; // milliseconds after the last arrow key

  const tool = $derived(shaping.tool);
  const region = $derived(findRegion(desk.page?.content, selection.region));
  const alone = $derived(selection.also.length === 0 && tool === 'none' && atWork.stage === 'read' ? region : null);
  const outline = $derived((shaping.draft && alone && shaping.draft.region === alone.id ? shaping.draft.outline : alone?.outline) as Pair[] | undefined);
  const path = $derived(tool === 'thread' ? threaded(ordered, shaping.drawn, 4 / scale) : []);
  const points = (list: Pair[]) => list.map((p) => p.join(',')).join(' ');

  $effect(() => {
    if (shaping.asks) choice?.querySelector('button')?.focus();
  });
  // What was being moved by keys is kept when another block is taken in hand.
  $effect(() => {
    const id = selection.region;
    untrack(() => {
      if (shaping.draft && shaping.draft.region !== id && !shaping.busy) settle();
    });
  });

  const place = (event: PointerEvent): Pair => {
    const frame = layer!.getBoundingClientRect();
    return [(event.clientX - frame.left) / scale, (event.clientY - frame.top) / scale];
  };

  function onDown(event: PointerEvent) {
    if (event.button !== 0 || tool === 'none') return;
    event.stopPropagation();
    shaping.asks = null;
    blade = null;
    freely = event.shiftKey || event.altKey;
    shaping.drawn = [place(event)];
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function onMove(event: PointerEvent) {
    if (!shaping.drawn.length || !(event.currentTarget as Element).hasPointerCapture(event.pointerId)) return;
    event.stopPropagation();
    const at = place(event), first = shaping.drawn[0]!;
    if (tool === 'cut' || tool === 'tie') shaping.drawn = [first, at];
    else if (tool === 'thread' || freely) shaping.drawn = [...shaping.drawn, at];
    else shaping.drawn = rectangle(first, at);
  }

  function onUp(event: PointerEvent) {
    if (!shaping.drawn.length) return;
    event.stopPropagation();
    const drawn = shaping.drawn;
    const met = path;
    shaping.drawn = [];
    if (tool === 'thread') void shaping.follow(met);
    else if (tool === 'cut') cutAlong(drawn);
    else if (tool === 'tie') {
      const all = everything(desk.page?.content);
      void shaping.tie(regionAt(all, drawn[0]!), regionAt(all, drawn.at(-1)!));
    }
    else if (drawn.length > 2 && extent(drawn) > 6 / scale) {
      if (tool === 'draw') shaping.asks = drawn;
      else if (tool === 'redact') void shaping.redact(drawn);
      else if (tool === 'mark') {
        const [l, t] = drawn[0]!, [r, b] = drawn[2] ?? drawn.at(-1)!;
        shaping.tool = 'none';
        void headings.add({ area: [l, t, r, b] });
      }
      else void shaping.takeOut(drawn);
    }
  }

  const extent = (drawn: Pair[]) => Math.min(...[0, 1].map((k) => Math.max(...drawn.map((p) => p[k]!)) - Math.min(...drawn.map((p) => p[k]!))));

  function cutAlong(drawn: Pair[]) {
    const [a, b] = [drawn[0]!, drawn.at(-1)!];
    if (Math.hypot(b[0] - a[0], b[1] - a[1]) < 8 / scale) return;
    const all = everything(desk.page?.content);
    const cut = regionAt(all, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]) ?? all.find((r) => threaded([r], drawn, 4 / scale).length);
    if (cut) void shaping.cut(cut.id, a, b);
    else saying.say('No block lies under the cut');
  }

  // Handles

  function take(event: PointerEvent, handle: number) {
    if (!alone || event.button !== 0) return;
    event.stopPropagation();
    grip = { handle, last: place(event) };
    shaping.draft = { region: alone.id, outline: (alone.outline as Pair[]).map((p) => [...p] as Pair) };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function drag(event: PointerEvent) {
    if (!grip || !shaping.draft) return;
    event.stopPropagation();
    const at = place(event);
    nudge(grip.handle, at[0] - grip.last[0], at[1] - grip.last[1]);
    grip.last = at;
  }

  /** Handle -1 is the whole. */
  function nudge(handle: number, dx: number, dy: number) {
    if (!alone) return;
    const now = shaping.draft?.outline ?? (alone.outline as Pair[]);
    shaping.draft = { region: alone.id, outline: handle < 0 ? shifted(now, dx, dy) : moved(now, handle, dx, dy) };
  }

  function letGo(event: PointerEvent) {
    if (!grip) return;
    event.stopPropagation();
    grip = null;
    settle();
  }

  function settle() {
    if (idle) clearTimeout(idle);
    idle = null;
    const draft = shaping.draft;
    const now = draft && findRegion(desk.page?.content, draft.region);
    if (!draft || !now) shaping.draft = null;
    else if (points(draft.outline) !== points(now.outline as Pair[])) void shaping.shape(draft.region, draft.outline);
    else shaping.draft = null;
  }

  /** The handles that can be told apart by a finger or a pointer (WCAG 2.2, 2.5.8): of a small block, its corners. */
  function apart(outline: Pair[]) {
    const shown: { index: number; x: number; y: number; name: string }[] = [];
    for (const h of handlesOf(outline)) {
      const away = awayFrom(outline, h);
      const at = (o: typeof h, a: Pair): Pair => [o.x * scale + a[0], o.y * scale + a[1]];
      const [x, y] = at(h, away);
      if (shown.every((o) => { const [ox, oy] = at(o, awayFrom(outline, o)); return Math.abs(ox - x) >= TARGET || Math.abs(oy - y) >= TARGET; })) shown.push(h);
    }
    return shown;
  }

  /** Handles of a rectangle stand beside it, so that they cover no ink. */
  function awayFrom(outline: Pair[], h: { x: number; y: number }): Pair {
    if (!upright(outline)) return [0, 0];
    const [l, t] = outline[0]!, [r, b] = outline[2]!;
    const side = (v: number, low: number, high: number) => (v === low ? -1 : v === high ? 1 : 0);
    return [side(h.x, l, r) * BESIDE, side(h.y, t, b) * BESIDE];
  }

  const WAYS: Record<string, Pair> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

  function onHandleKey(event: KeyboardEvent, handle: number) {
    const way = WAYS[event.key];
    if (way) {
      const step = (event.shiftKey ? 20 : 4) / scale;
      nudge(handle, way[0] * step, way[1] * step);
      if (idle) clearTimeout(idle);
      idle = setTimeout(settle, SETTLES);
    } else if (event.key === 'Enter') settle();
    else if (event.key === 'Escape' && shaping.draft) shaping.draft = null;
    else if (event.key === 'Delete' && handle >= 0 && outline && !upright(outline) && outline.length > 3 && alone)
      void shaping.shape(alone.id, outline.filter((_, i) => i !== handle));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  // Drawing and cutting by keys

  function onKey(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || (event.target as HTMLElement).closest('[data-grid]')) return;
    const way = WAYS[event.key];
    if (shaping.asks) {
      const kind = ({ t: 'text', b: 'table', p: 'figure' } as Record<string, Kind>)[event.key.toLowerCase()];
      const step = 12 / scale;
      if (kind) void shaping.draw(kind);
      else if (event.key === 'Escape') shaping.drop();
      else if (way && event.shiftKey && upright(shaping.asks)) shaping.asks = moved(shaping.asks, 2, way[0] * step, way[1] * step);
      else if (way) shaping.asks = shifted(shaping.asks, way[0] * step, way[1] * step);
      else return;
    } else if (blade) {
      if (event.key === 'Escape') blade = null;
      else if (event.key === 'Enter') sever();
      else if (way) turnBlade(way);
      else return;
    } else if (tool === 'draw' && event.key === 'Enter' && !isButton(event)) {
      const [l, t, r, b] = view();
      const [x, y, w, h] = [(l + r) / 2, (t + b) / 2, (r - l) / 5, (b - t) / 8];
      shaping.asks = rectangle([x - w, y - h], [x + w, y + h]);
      saying.say('An outline in the middle of the sheet. Arrow keys move it, with Shift they size it; T makes it text, B a table, P a picture.');
    } else if (tool === 'cut' && event.key === 'Enter' && region && !isButton(event)) {
      const gaps = gapsOf(region), box = boxOf(region);
      blade = { region, down: false, at: gaps[(gaps.length - 1) >> 1] ?? (box[1] + box[3]) / 2 };
      saying.say(`A cut across ${nameOf(region)}. Up and down move it from line to line, left and right turn it downwards; Enter cuts.`);
    } else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  const isButton = (event: KeyboardEvent) => (event.target as HTMLElement).tagName === 'BUTTON';

  function turnBlade(way: Pair) {
    if (!blade) return;
    const box = boxOf(blade.region), gaps = gapsOf(blade.region);
    if (way[1]) {
      const at = blade.down ? (box[1] + box[3]) / 2 : blade.at;
      const next = way[1] > 0 ? gaps.find((g) => g > at + 1) : gaps.filter((g) => g < at - 1).at(-1);
      blade = { ...blade, down: false, at: next ?? at };
    } else {
      const at = blade.down ? blade.at + (way[0] * 12) / scale : (box[0] + box[2]) / 2;
      blade = { ...blade, down: true, at: Math.min(Math.max(at, box[0] + 4), box[2] - 4) };
    }
  }

  function ends(of: NonNullable<typeof blade>): [Pair, Pair] {
    const b = boxOf(of.region);
    return of.down ? [[of.at, b[1] - 10], [of.at, b[3] + 10]] : [[b[0] - 10, of.at], [b[2] + 10, of.at]];
  }

  function sever() {
    if (!blade) return;
    const [a, b] = ends(blade);
    void shaping.cut(blade.region.id, a, b);
    blade = null;
  }
</script>

<svelte:window onkeydowncapture={onKey} />

<!-- svelte-ignore a11y_no_static_element_interactions -->
<svg bind:this={layer} class="layer" class:held={tool !== 'none'} data-tool={tool} viewBox="0 0 {size[0]} {size[1]}" aria-hidden="true"
  onpointerdown={onDown} onpointermove={onMove} onpointerup={onUp} onpointercancel={() => (shaping.drawn = [])}>
  {#if tool === 'thread'}
    {#each ordered as r, i (r.id)}
      {@const b = boxOf(r)}
      {@const n = path.indexOf(r.id)}
      <g class="bead" class:met={n >= 0} transform="translate({b[0] - BEAD / scale} {b[1] + BEAD / scale}) scale({1 / scale})">
        <circle r="13" /><text y="5" text-anchor="middle">{n >= 0 ? n + 1 : i + 1}</text>
      </g>
    {/each}
    {#if shaping.drawn.length > 1}<polyline class="stroke" points={points(shaping.drawn)} stroke-width={4 / scale} />
    {:else}<polyline class="line" points={points(ordered.map((r): Pair => [boxOf(r)[0] - BEAD / scale, boxOf(r)[1] + BEAD / scale]))} stroke-width={1.5 / scale} />{/if}
  {:else if shaping.drawn.length > 1}
    {#if tool === 'cut' || tool === 'tie'}<polyline class={tool === 'cut' ? 'blade' : 'stroke'} points={points(shaping.drawn)} stroke-width={2.5 / scale} />
    {:else}<polygon class="drawn" class:out={tool === 'take_out'} class:gone={tool === 'redact'} points={points(shaping.drawn)} stroke-width={2 / scale} />{/if}
  {/if}
  {#if shaping.asks}<polygon class="drawn" points={points(shaping.asks)} stroke-width={2.5 / scale} />{/if}
  {#if blade}<polyline class="blade" points={points(ends(blade))} stroke-width={2.5 / scale} />{/if}
  {#if shaping.draft && outline}<polygon class="drawn" points={points(outline)} stroke-width={2 / scale} />{/if}
</svg>

{#if atWork.stage === 'read' && tool === 'none'}
  {#each desk.page?.content?.redactions ?? [] as area, i (i)}
    <button class="handle reveal" title="Redacted. Deliver it again" aria-label="Take redaction {i + 1} back" style:left="{Math.max(...area.map((p) => p[0])) * scale}px" style:top="{Math.min(...area.map((p) => p[1])) * scale}px" onclick={() => void shaping.unredact(i)}>✕</button>
  {/each}
{/if}
{#if alone && outline && outline.length <= 80}
  <div role="group" aria-label="Outline of the block in hand">
    <button class="handle whole" title="Move the block (drag, or arrow keys)" aria-label="Move the block" style:left="{Math.min(...outline.map((p) => p[0])) * scale - 50}px" style:top="{Math.min(...outline.map((p) => p[1])) * scale - 4}px"
      onpointerdown={(e) => take(e, -1)} onpointermove={drag} onpointerup={letGo} onkeydown={(e) => onHandleKey(e, -1)} onblur={settle}>✥</button>
    {#each apart(outline) as h (h.index)}
      {@const away = awayFrom(outline, h)}
      <button class="handle" aria-label={h.name} style:left="{h.x * scale + away[0]}px" style:top="{h.y * scale + away[1]}px"
        onpointerdown={(e) => take(e, h.index)} onpointermove={drag} onpointerup={letGo} onkeydown={(e) => onHandleKey(e, h.index)} onblur={settle}></button>
    {/each}
  </div>
{/if}
{#if alone?.table && !shaping.draft}
  {#key `${desk.page?.id}.${alone.id}`}<GridOverlay region={alone} table={alone.table} {scale} />{/key}
{/if}
{#if shaping.asks}
  {@const right = Math.max(...shaping.asks.map((p) => p[0]))}
  {@const bottom = Math.max(...shaping.asks.map((p) => p[1]))}
  <div bind:this={choice} class="choice" role="group" aria-label="What is it?" style:left="{Math.max(0, right * scale - 250)}px" style:top="{bottom * scale + 6}px">
    {#if shaping.busy}<span role="status">reading…</span>{:else}
      <button onclick={() => void shaping.draw('text')}>Text <kbd>T</kbd></button>
      <button onclick={() => void shaping.draw('table')}>Table <kbd>B</kbd></button>
      <button onclick={() => void shaping.draw('figure')}>Picture <kbd>P</kbd></button>
    {/if}
  </div>
{/if}

<style>
  .layer { position: absolute; inset: 0; width: 100%; height: 100%; overflow: visible; pointer-events: none; }
  .layer.held { pointer-events: all; cursor: crosshair; touch-action: none; }
  .drawn { fill: #e09a2e26; stroke: #8a4b06; stroke-dasharray: 0; }
  .drawn.out { fill: #fff9; stroke: #a8320f; }
  .drawn.gone { fill: #000b; stroke: #000; }
  .blade { fill: none; stroke: #a8320f; }
  .stroke { fill: none; stroke: #e09a2e; stroke-linecap: round; stroke-linejoin: round; opacity: 0.85; }
  .line { fill: none; stroke: #143d3a; opacity: 0.35; }
  .bead circle { fill: #143d3a; stroke: #fff; stroke-width: 1.5; }
  .bead text { fill: #fff; font: 700 13px var(--font-sans); }
  .bead.met circle { fill: #8a4b06; }
  .handle { position: absolute; width: 24px; height: 24px; margin: -12px 0 0 -12px; padding: 0; border: 0; background: transparent; cursor: grab; touch-action: none; }
  .handle.reveal { background: #000; color: #fff; border-radius: 50%; font-size: 13px; line-height: 1; cursor: pointer; }
  .handle:not(.whole, .reveal)::after { content: ''; position: absolute; inset: 6px; border: 2px solid #fff; border-radius: 50%; background: #8a4b06; box-shadow: 0 0 0 1px #8a4b06; }
  .handle:focus-visible { outline: 3px solid var(--color-lamp-500); outline-offset: -2px; border-radius: 50%; }
  .handle.whole { margin: 0; border-radius: 6px; background: #8a4b06; color: #fff; font-size: 15px; line-height: 1; }
  .choice { position: absolute; z-index: 4; display: flex; gap: 2px; min-width: 250px; background: var(--color-primary-900); color: var(--color-paper); border-radius: 8px; padding: 4px; box-shadow: 0 4px 14px #0004; }
  .choice button { flex: 1; border: 0; border-radius: 5px; background: transparent; color: var(--color-paper); padding: 4px 8px; font-size: 14px; white-space: nowrap; }
  .choice button:hover, .choice button:focus-visible { background: var(--color-primary-600); }
  .choice span { padding: 4px 10px; }
  kbd { font: 700 12px var(--font-sans); border: 1px solid #fff8; border-radius: 3px; padding: 0 4px; margin-left: 3px; }
</style>
