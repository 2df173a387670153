<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { notices } from '../bench/notices.svelte';
  import { hand, type Tool } from '../bench/hand.svelte';
  import { linesOf, boxOf, findRegion, findWord } from '../bench/content';
  import { tick, untrack } from 'svelte';
  import { Button, Spinner } from 'flowbite-svelte';
  import { api, type Page, type Region } from '../api/client';
    import { typing } from '../bench/keys';
  import { look } from '../bench/roles';
  import { cleaning } from '../bench/cleaning.svelte';
  import CleanOverlay from './CleanOverlay.svelte';
  import HandBar from './HandBar.svelte';
  import HandOverlay from './HandOverlay.svelte';
  import LiftedLine from './LiftedLine.svelte';
  import Loupe from './Loupe.svelte';
  import NewLine from './NewLine.svelte';
  import PagePicture from './PagePicture.svelte';
  import TextOverInk from './TextOverInk.svelte';
  import { writing } from '../bench/writing.svelte';
  import { beforePaint } from '../bench/later';

  let { page, ordered }: { page: Page | null; ordered: Region[] } = $props();
  let board = $state<HTMLDivElement>();
  let deskWidth = $state(800);
  let deskHeight = $state(600);
  let zoom = $state(1);
  let fit = $state<'width' | 'page' | 'free'>('width');
  let loupe = $state(false);
  let pointer = $state<{ x: number; y: number } | null>(null);
  let drag: { x: number; y: number; left: number; top: number; moved: boolean } | null = null;
  const MARGIN = 24;
  /** Kept by its events: to ask the board itself would lay all of it out for every word. */
  let scrolled = $state.raw({ left: 0, top: 0 });

  const clean = $derived(view.stage === 'clean');
  const preview = $derived(clean ? cleaning.preview : null);
  const dpi = $derived(page?.dpi ?? 300);
  const size = $derived.by((): [number, number] => {
    if (preview) return [(preview.width / preview.dpi) * dpi, (preview.height / preview.dpi) * dpi];
    if (!clean && page?.content) return [page.content.width, page.content.height];
    if (page?.cleaned_size) return page.cleaned_size as [number, number];
    return (page?.original_size ?? [2480, 3508]) as [number, number];
  });
  let untouched = $state(false);
  let fitBefore: typeof fit | null = null;
  // Handles lie at the page's edges, so the whole page is shown while they are out.
  $effect(() => {
    if (clean && hand.handles !== 'none') {
      fitBefore ??= fit;
      fit = 'page';
    } else if (fitBefore) {
      fit = fitBefore;
      fitBefore = null;
    }
  });
  const tools: { id: Tool; name: string; what: string }[] = [
    { id: 'area', name: 'Area', what: 'Erase a rectangle' }, { id: 'freehand', name: 'Freehand', what: 'Erase what you draw around' },
    { id: 'mark', name: 'Mark', what: 'Erase the mark you point at' }, { id: 'alike', name: 'Its like', what: 'Erase a mark and all that look like it' },
    { id: 'restore', name: 'Put back', what: 'Put back what was taken off in a rectangle' },
  ];
  const fitted = $derived(
    fit === 'page'
      ? Math.min((deskWidth - 2 * MARGIN) / size[0]!, (deskHeight - 2 * MARGIN - (clean ? 36 : 0)) / size[1]!)
      : (deskWidth - 2 * MARGIN - 14) / size[0]!,
  );
  const scale = $derived(fit === 'free' ? zoom : Math.max(0.02, fitted));
  const showRegions = $derived(view.stage !== 'clean');
  const byHand = $derived(view.stage === 'read');
  const artifacts = $derived(page?.content?.artifacts ?? []);
  const doubtful = $derived(new Set((page?.doubts ?? []).flatMap((d) => (d.word_id ? [d.word_id] : []))));
  const selected = $derived(findRegion(page?.content, selection.region));
  const selectedBox = $derived(selected ? boxOf(selected) : null);
  const wordBox = $derived(findWord(page?.content, selection.word));

  function zoomTo(value: number, at?: { x: number; y: number }) {
    if (!board) return;
    const before = scale;
    const next = Math.min(4, Math.max(0.05, value));
    const place = at ?? { x: deskWidth / 2, y: deskHeight / 2 };
    const left = (board.scrollLeft + place.x - MARGIN) / before;
    const top = (board.scrollTop + place.y - MARGIN) / before;
    fit = 'free';
    zoom = next;
    void tick().then(() => board?.scrollTo({ left: left * next + MARGIN - place.x, top: top * next + MARGIN - place.y }));
  }

  function onWheel(event: WheelEvent) {
    if (!event.ctrlKey && !event.metaKey) return;
    event.preventDefault();
    const frame = board!.getBoundingClientRect();
    zoomTo(scale * Math.exp(-event.deltaY / 400), { x: event.clientX - frame.left, y: event.clientY - frame.top });
  }

  function onKey(event: KeyboardEvent) {
    if (event.type === 'keyup') {
      if (event.key.toLowerCase() === 'o') loupe = false;
      if (event.key.toLowerCase() === 'u') untouched = false;
      return;
    }
    if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key.toLowerCase() === 'o') loupe = true;
    else if (event.key.toLowerCase() === 'u') untouched = true;
    else if (event.key.toLowerCase() === 'b' && view.stage === 'proof') writing.compare();
    else if (event.key === '+' || event.key === '=') zoomTo(scale * 1.25);
    else if (event.key === '-') zoomTo(scale / 1.25);
    else if (event.key === '0') fit = 'width';
    else if (event.key === '9') fit = 'page';
  }

  function onDown(event: PointerEvent) {
    if (event.button !== 0 || !board || (event.target as HTMLElement).closest('[data-lifted]')) return;
    drag = { x: event.clientX, y: event.clientY, left: board.scrollLeft, top: board.scrollTop, moved: false };
  }

  function onMove(event: PointerEvent) {
    const frame = board!.getBoundingClientRect();
    pointer = { x: event.clientX - frame.left, y: event.clientY - frame.top };
    if (!drag || !board) return;
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    if (!drag.moved && Math.hypot(dx, dy) < 5) return;
    drag.moved = true;
    board.scrollTo({ left: drag.left - dx, top: drag.top - dy });
  }

  /** The part of the page in sight, in its pixels. */
  function inSight(): [number, number, number, number] {
    const [left, top] = [((board?.scrollLeft ?? 0) - MARGIN) / scale, ((board?.scrollTop ?? 0) - MARGIN) / scale];
    return [Math.max(0, left), Math.max(0, top), Math.min(size[0]!, left + deskWidth / scale), Math.min(size[1]!, top + deskHeight / scale)];
  }

  function pick(event: MouseEvent, region: Region, lift: boolean) {
    const frame = (event.currentTarget as Element).closest('svg')!.getBoundingClientRect();
    const x = (event.clientX - frame.left) / scale;
    const y = (event.clientY - frame.top) / scale;
    const words = linesOf(region).flatMap((l) => l.words);
    const hit = words.find((w) => w.box[0] <= x && x <= w.box[2] && w.box[1] <= y && y <= w.box[3]);
    if ((byHand || view.stage === 'tag') && (event.shiftKey || event.ctrlKey || event.metaKey)) selection.toggle(region.id);
    else selection.select(region.id, hit?.id ?? null, lift && hit !== undefined);
  }

  const contains = (outer: number[], inner: number[]) => inner[0]! >= outer[0]! && inner[1]! >= outer[1]! && inner[2]! <= outer[2]! && inner[3]! <= outer[3]!;

  // What is selected comes into view, without moving the page when it already is.
  $effect(() => {
    const box = wordBox?.word.box ?? selectedBox;
    if (!box || !board) return;
    const on = box.map((v) => v * scale + MARGIN);
    const { left, top } = untrack(() => scrolled);
    if (contains([left, top + 20, left + deskWidth, top + deskHeight - (selection.lifted ? 150 : 20)], on)) return;
    const there = { left: Math.max(0, on[0]! - 80), top: Math.max(0, on[1]! - deskHeight / 3) };
    return beforePaint(() => board?.scrollTo(there));
  });

  let shownPage = 0;
  $effect(() => {
    if (page && page.id !== shownPage) {
      shownPage = page.id;
      beforePaint(() => !selection.region && board?.scrollTo({ left: 0, top: 0 }));
    }
  });
</script>

<svelte:window onkeydown={onKey} onkeyup={onKey} onpointerup={() => (drag = null)} onblur={() => { loupe = false; untouched = false; }} />

<div class="relative min-h-0 flex-1">
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div
    bind:this={board} bind:clientWidth={deskWidth} bind:clientHeight={deskHeight} class="desk" class:loupe
    onscroll={(e) => (scrolled = { left: e.currentTarget.scrollLeft, top: e.currentTarget.scrollTop })}
    onwheel={onWheel} onpointerdown={onDown} onpointermove={onMove} onpointerleave={() => (pointer = null)} role="region" aria-label="Sheet" tabindex="0"
  >
    {#if page?.cleaned || page?.original}
      <div class="sheet" style:width="{size[0]! * scale}px" style:height="{size[1]! * scale}px" style:margin="{MARGIN}px auto">
        <!-- Another page's picture must not lie under this page's blocks while its own is on its way. -->
        {#key page.id}<PagePicture src={preview?.image ?? page.cleaned ?? page.original ?? ''} alt="Page {page.position + 1}" />{/key}
        {#if clean}<CleanOverlay {size} {scale} {dpi} />{/if}
        {#if showRegions && page.content}
          <svg viewBox="0 0 {size[0]} {size[1]}" aria-hidden="true">
            {#each [...ordered, ...artifacts].filter((r) => r.substitute || r.omitted) as region (region.id)}
              {@const b = boxOf(region)}
              <polygon class:gone={region.omitted} class="blank" points={region.outline.map((p) => p.join(',')).join(' ')} />
              {#if region.substitute && !region.omitted}<image href="/api/blobs/{region.substitute}" x={b[0]} y={b[1]} width={b[2] - b[0]} height={b[3] - b[1]} />{/if}
            {/each}
            {#each page.content.redactions ?? [] as area, i (i)}<polygon class="redacted" points={area.map((p) => p.join(',')).join(' ')} />{/each}
            {#each [...ordered, ...artifacts] as region, i (region.id)}
              {@const b = boxOf(region)}
              {@const l = look(region.role)}
              {@const chosen = selection.regions.includes(region.id)}
              <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
              <g class="region" class:chosen onclick={(e) => !drag?.moved && pick(e, region, view.stage === 'proof')} ondblclick={(e) => pick(e, region, true)}>
                {#if region.outline.length > 4}
                  <polygon class="edge" points={region.outline.map((p) => p.join(',')).join(' ')}
                    stroke-width={(chosen ? l.width + 1.2 : l.width) / scale} stroke-dasharray={l.dash.split(' ').filter(Boolean).map((v) => Number(v) / scale).join(' ')} />
                {:else}
                  <rect class="edge" x={b[0] - 6} y={b[1] - 6} width={b[2] - b[0] + 12} height={b[3] - b[1] + 12}
                    stroke-width={(chosen ? l.width + 1.2 : l.width) / scale} stroke-dasharray={l.dash.split(' ').filter(Boolean).map((v) => Number(v) / scale).join(' ')} />
                {/if}
                {#if view.stage !== 'proof' || chosen}
                  <g class="sign" transform="translate({b[0] - 6} {b[1] - 6}) scale({1 / scale})">
                    <rect class="plate" x={-30} y={0} width="28" height="17" rx="3" />
                    <text x={-16} y="13" text-anchor="middle">{l.sign}</text>
                    {#if i < ordered.length && view.stage === 'tag'}<text class="order" x={-16} y="31" text-anchor="middle">{i + 1}</text>{/if}
                  </g>
                {/if}
              </g>
            {/each}
            {#each [...ordered, ...artifacts] as region (region.id)}
              {#each linesOf(region).flatMap((x) => x.words).filter((w) => doubtful.has(w.id)) as w (w.id)}
                <path class="doubt" d="M{w.box[0]} {w.box[3] + 4} H{w.box[2]}" stroke-width={3 / scale} stroke-dasharray="{5 / scale} {2 / scale}" />
              {/each}
            {/each}
            {#if writing.over && !loupe && view.stage === 'proof'}<TextOverInk content={page.content} />{/if}
            {#if wordBox}
              {@const b = wordBox.word.box}
              <rect class="word" x={b[0] - 5} y={b[1] - 5} width={b[2] - b[0] + 10} height={b[3] - b[1] + 10} stroke-width={2.5 / scale} />
            {/if}
          </svg>
          {#if byHand || view.stage === 'tag'}<HandOverlay {size} {scale} {ordered} view={inSight} />{/if}
        {/if}
        {#if writing.newLine?.page === page.id && page.content && view.stage !== 'clean'}<NewLine {page} {scale} room={deskWidth - 2 * MARGIN} />{/if}
        {#if selection.lifted && wordBox && page.cleaned}
          {#key `${page.id}.${wordBox.region.id}.${wordBox.line}`}
            <LiftedLine {page} region={wordBox.region} index={wordBox.line} {scale} room={deskWidth - 2 * MARGIN} scrollLeft={scrolled.left} />
          {/key}
        {/if}
      </div>
    {:else if page && page.task_state !== 'failed'}
      <div class="waiting" role="status"><Spinner /><p>This page is on its way: {(page.task_stage ?? 'waiting').replace('_', ' ')}…</p></div>
    {:else if !page}
      <div class="waiting" role="status"><Spinner /></div>
    {/if}
    {#if page?.task_state === 'failed'}
      <div class="failed" role="alert">
        <h2 class="m-0 text-lg font-bold">Page {page.position + 1} stopped at “{(page.task_stage ?? '').replace('_', ' ')}”</h2>
        <p>{page.task_reason}</p>
        <Button size="sm" onclick={() => notices.attempt(async () => { await api.retry(page.id); await desk.refresh(); })}>Try again</Button>
      </div>
    {:else if page && (page.task_state === 'running' || page.task_state === 'waiting') && page.cleaned}
      <p class="working" role="status"><Spinner size="4" /> {page.task_stage === 'clean' ? 'cleaning' : page.task_stage === 'read' ? 'reading' : 'working'}…</p>
    {/if}
  </div>
  {#if untouched && page?.original}
    <div class="untouched"><img src={page.original} alt="The untouched scan" /><p>The untouched scan</p></div>
  {/if}
  {#if clean && page?.original}
    <div class="hand" role="group" aria-label="Erase by hand">
      <span>Erase</span>
      {#each tools as tool (tool.id)}<button title={tool.what} aria-pressed={hand.tool === tool.id} onclick={() => cleaning.use(tool.id)}>{tool.name}</button>{/each}
    </div>
    {#if cleaning.working}<p class="making" role="status"><Spinner size="4" /> trying it…</p>{/if}
  {/if}
  {#if byHand && page?.content}<HandBar />{/if}
  {#if loupe && pointer && !preview && page?.original && page.to_original && page.original_size}
    <Loupe {page} {pointer} {scale} origin={{ x: MARGIN + Math.max(0, (deskWidth - 2 * MARGIN - size[0]! * scale) / 2) - (board?.scrollLeft ?? 0), y: MARGIN - (board?.scrollTop ?? 0) }} />
  {/if}
  <div class="tools" role="group" aria-label="View">
    <button title="Original under the pointer (hold O)" aria-pressed={loupe} onclick={() => (loupe = !loupe)}>Loupe</button>
    {#if view.stage === 'proof'}<button title="Text over the ink, in the loupe too; then both in turn (B, Alt B while a word is in hand)" aria-pressed={writing.compared !== 'ink'} onclick={() => writing.compare()}>{writing.compared === 'blinking' ? 'Blinking' : 'Text over'}</button>{/if}
    {#if clean}<button title="Scan and cleaned page side by side at a movable seam (S)" aria-pressed={hand.seam} onclick={() => cleaning.compare(!hand.seam)}>Seam</button>{/if}
    <button title="Smaller (−)" aria-label="Smaller" onclick={() => zoomTo(scale / 1.25)}>−</button>
    <button title="Fit to width (0)" onclick={() => (fit = 'width')}>{Math.round(scale * 100 * ((page?.dpi ?? 300) / 96))} %</button>
    <button title="Larger (+)" aria-label="Larger" onclick={() => zoomTo(scale * 1.25)}>+</button>
    <button title="Whole page (9)" onclick={() => (fit = 'page')}>Whole</button>
  </div>
</div>

<style>
  .desk { position: absolute; inset: 0; overflow: auto; background: radial-gradient(circle at 50% 20%, #eef2f0, var(--color-desk) 70%); touch-action: none; }
  .desk.loupe { cursor: none; }
  .sheet { position: relative; background: #fff; box-shadow: 0 1px 3px #0004, 0 8px 30px #0002; }
  .sheet svg { position: absolute; inset: 0; width: 100%; height: 100%; overflow: visible; }
  .redacted { fill: #000; fill-opacity: 0.78; stroke: #000; stroke-width: 4; pointer-events: none; }
  .blank { fill: #fff; }
  .blank.gone { fill: #fffb; }
  .region > .edge { fill: transparent; stroke: #1d5f58; opacity: 0.75; }
  .region:hover > .edge { opacity: 1; fill: #1d5f5812; }
  .region.chosen > .edge { stroke: #0a1f1e; opacity: 1; fill: #e09a2e14; }
  .region .plate { fill: #143d3a; stroke: none; opacity: 1; }
  .region.chosen .plate { fill: #8a4b06; }
  /* Sixty regions lie close: at rest their edges are enough, and no sign covers a neighbour's text. */
  .region > .sign { visibility: hidden; pointer-events: none; }
  .region:hover > .sign, .region.chosen > .sign { visibility: visible; }
  .region text { fill: #fff; font: 700 12px var(--font-sans); }
  .region text.order { fill: #143d3a; }
  .doubt { stroke: #b4610b; fill: none; pointer-events: none; }
  .word { fill: #e09a2e22; stroke: #8a4b06; pointer-events: none; }
  .waiting { display: grid; place-items: center; align-content: center; gap: 8px; height: 100%; color: var(--color-quiet); }
  .failed { position: sticky; bottom: 20px; margin: 20px auto; max-width: 34rem; background: var(--color-paper); border-left: 8px solid #a8320f; border-radius: 6px; padding: 14px 18px; box-shadow: 0 4px 18px #0003; }
  .working { position: sticky; bottom: 14px; left: 14px; width: max-content; margin: 0 0 14px 14px; background: var(--color-paper); border-radius: 6px; padding: 4px 12px; box-shadow: 0 2px 8px #0003; }
  .untouched { position: absolute; inset: 0; background: var(--color-primary-950); display: grid; place-items: center; padding: 10px; z-index: 5; }
  .untouched img { max-width: 100%; max-height: 100%; min-height: 0; object-fit: contain; }
  .untouched p { position: absolute; left: 16px; bottom: 10px; margin: 0; background: var(--color-paper); border-radius: 5px; padding: 1px 10px; }
  .hand { position: absolute; left: 14px; bottom: 10px; display: flex; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 8px; overflow: hidden; box-shadow: 0 2px 8px #0003; }
  .hand span { padding: 5px 4px 5px 12px; font-size: 14px; font-weight: 700; }
  .hand button { border: 0; background: transparent; padding: 5px 10px; font-size: 14px; color: var(--color-ink); }
  .hand button + button { border-left: 1px solid var(--color-hair); }
  .hand button:hover { background: var(--color-primary-50); }
  .hand button[aria-pressed='true'] { background: var(--color-lamp-500); }
  .making { pointer-events: none; position: absolute; left: 14px; top: 10px; margin: 0; display: flex; gap: 8px; align-items: center; background: var(--color-paper); border-radius: 6px; padding: 2px 12px; box-shadow: 0 2px 8px #0003; }
  .tools { position: absolute; right: 22px; bottom: 10px; display: flex; background: var(--color-primary-900); border-radius: 8px; overflow: hidden; box-shadow: 0 2px 8px #0004; }
  .tools button { border: 0; background: transparent; color: var(--color-paper); padding: 5px 11px; font-size: 14px; }
  .tools button:hover { background: var(--color-primary-700); }
  .tools button[aria-pressed='true'] { background: var(--color-lamp-500); color: var(--color-ink); }
</style>
