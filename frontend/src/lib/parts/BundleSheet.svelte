<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { Box, BundleMark, MarkKind, Region } from '../api/client';
  import { bundle, COLOURS } from '../bench/bundle.svelte';
  import { linesOf } from '../bench/content';
  import { remember, remembered } from '../bench/keys';

  /** The sheet in hand with its number and marks; dragging over it marks words, a passage or an area. */
  const KINDS: [MarkKind, string, string][] = [['highlight', 'Words', 'H'], ['sideline', 'Side line', 'S'], ['area', 'Area', 'A'], ['note', 'Note', 'N']];
  let kind = $state<MarkKind>('highlight');
  let colour = $state(remembered('mark.colour', COLOURS[0]![0]));
  let name = $state(remembered('mark.name', ''));
  let text = $state('');
  let start = $state<[number, number] | null>(null);
  let end = $state<[number, number] | null>(null);
  let wide = $state(600);
  let high = $state(600);
  let held = $state<number | null>(null);
  let block = $state(-1);
  let zoom = $state(1);

  const touches = (a: Box, b: Box) => a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3];
  const boxOf = (r: Region): Box => {
    const all = linesOf(r).flatMap((l) => l.words.map((w) => w.box as Box));
    return [Math.min(...all.map((b) => b[0])), Math.min(...all.map((b) => b[1])), Math.max(...all.map((b) => b[2])), Math.max(...all.map((b) => b[3]))];
  };

  const sheet = $derived(bundle.sheets[bundle.at]);
  const page = $derived(bundle.page);
  const size = $derived<[number, number]>(page?.cleaned_size ?? [1000, 1414]);
  const scale = $derived(zoom * Math.max(0.05, Math.min((wide - 40) / size[0], (high - 40) / size[1])));
  const blocks = $derived([...(page?.content?.regions ?? []), ...(page?.content?.artifacts ?? [])].filter((r) => linesOf(r).some((l) => l.words.length)));
  const words = $derived([...(page?.content?.regions ?? []), ...(page?.content?.artifacts ?? [])].flatMap((r) => linesOf(r).flatMap((l) => l.words)));
  const drawn = $derived<Box | null>(start && end ? [Math.min(start[0], end[0]), Math.min(start[1], end[1]), Math.max(start[0], end[0]), Math.max(start[1], end[1])] : null);
  const over = $derived(drawn && (kind === 'highlight' || kind === 'sideline') ? words.filter((w) => touches(w.box as Box, drawn)).map((w) => w.box as Box) : []);
  const entry = $derived(bundle.entries.find((e) => e.id === sheet?.entry));
  const outline = $derived(blocks[block] ? boxOf(blocks[block]!) : null);
  const rules = $derived(bundle.told?.rules);
  const place = $derived(rules?.place ?? 'bottom_right');

  $effect(() => {
    void page?.id;
    block = -1;
    held = null;
  });

  function at(event: PointerEvent): [number, number] {
    const frame = (event.currentTarget as HTMLElement).getBoundingClientRect();
    return [Math.round((event.clientX - frame.left) / scale), Math.round((event.clientY - frame.top) / scale)];
  }

  function down(event: PointerEvent) {
    if (event.button !== 0 || !page?.content) return;
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    start = end = at(event);
  }

  function up() {
    const boxes: Box[] = kind === 'note' && start ? [[start[0], start[1], start[0] + 40, start[1] + 40]]
      : kind === 'area' ? (drawn && drawn[2] - drawn[0] > 4 && drawn[3] - drawn[1] > 4 ? [drawn] : []) : over;
    start = end = null;
    if (boxes.length) make(boxes);
  }

  function make(boxes: Box[]) {
    remember('mark.name', name);
    remember('mark.colour', colour);
    void bundle.mark(kind, boxes, colour, name.trim(), text.trim());
    text = '';
  }

  function onKey(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const tool = KINDS.find((k) => k[2] === event.key.toUpperCase());
    if (tool) kind = tool[0];
    else if (event.key === '+' || event.key === '-' || event.key === '0') larger(event.key);
    else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') block = Math.max(0, Math.min(blocks.length - 1, block + (event.key === 'ArrowDown' ? 1 : -1)));
    else if (event.key === 'Enter' && blocks[block]) {
      const all = linesOf(blocks[block]!).flatMap((l) => l.words.map((w) => w.box as Box));
      make(kind === 'area' || kind === 'note' ? [boxOf(blocks[block]!)] : all);
    } else if (event.key === 'Delete' && held !== null) {
      void bundle.takeMarks([held]);
      held = null;
    } else return;
    event.preventDefault();
  }

  function larger(way: string) {
    zoom = way === '0' ? 1 : Math.max(1, Math.min(6, way === '+' ? zoom * 1.5 : zoom / 1.5));
  }

  function late() {
    if (!sheet?.page) return;
    bundle.late = { page: sheet.page, label: sheet.label, entry: sheet.entry };
    bundle.side = 'shelf';
  }

  const told = (m: BundleMark) => [m.name, m.text].filter(Boolean).join(': ') || m.kind;
  const style = (b: Box) => `left:${b[0] * scale}px;top:${b[1] * scale}px;width:${(b[2] - b[0]) * scale}px;height:${(b[3] - b[1]) * scale}px`;
  const around = (boxes: Box[]): Box => [Math.min(...boxes.map((b) => b[0])), Math.min(...boxes.map((b) => b[1])), Math.max(...boxes.map((b) => b[2])), Math.max(...boxes.map((b) => b[3]))];
</script>

<div class="all">
  <div class="tools">
    <div class="kinds" role="radiogroup" aria-label="What a drag marks">
      {#each KINDS as [key, called, letter] (key)}<button role="radio" aria-checked={kind === key} title="{called} ({letter})" onclick={() => (kind = key)}>{called}</button>{/each}
    </div>
    <div class="kinds" role="radiogroup" aria-label="Colour">
      {#each COLOURS as [code, called] (code)}<button role="radio" aria-checked={colour === code} class="dot" style:background="#{code}" title={called} aria-label={called} onclick={() => (colour = code)}></button>{/each}
    </div>
    <input bind:value={name} maxlength="100" placeholder="Named after" aria-label="Named after" />
    <input class="says" bind:value={text} maxlength="5000" placeholder="What the next mark says" aria-label="What the next mark says" />
  </div>
  <div class="table" class:zoomed={zoom > 1} bind:clientWidth={wide} bind:clientHeight={high}>
    {#if !sheet}
      <p class="text-quiet p-8">No sheets yet.</p>
    {:else if sheet.kind === 'blank'}
      <div class="leaf empty" style="width:{420 * Math.min(1, high / 640)}px;height:{594 * Math.min(1, high / 640)}px"><p>{rules?.words?.blank}</p></div>
    {:else if sheet.kind === 'missing'}
      <div class="leaf empty" style="width:{420 * Math.min(1, high / 640)}px;height:{594 * Math.min(1, high / 640)}px"><p>{entry?.title}: {entry?.trouble || 'it could not be had.'} Its place is kept.</p></div>
    {:else if page?.cleaned}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_no_noninteractive_tabindex -->
      <div class="leaf" role="application" aria-label="Sheet {sheet.label}: arrows pick a block, Enter marks it" tabindex="0" style="width:{size[0] * scale}px;height:{size[1] * scale}px"
        onpointerdown={down} onpointermove={(e) => { if (start) end = at(e); }} onpointerup={up} onpointercancel={() => (start = end = null)} onkeydown={onKey}>
        <img src={page.cleaned} alt="" draggable="false" />
        {#each bundle.marks as m (m.id)}
          {#if m.kind === 'highlight'}{#each m.boxes as b, i (i)}<span class="mark over" style="{style(b as Box)};background:#{m.colour}"></span>{/each}
          {:else if m.kind === 'sideline'}{@const b = around(m.boxes as Box[])}<span class="mark" style="left:{b[0] * scale - 9}px;top:{b[1] * scale}px;width:4px;height:{(b[3] - b[1]) * scale}px;background:#{m.colour}"></span>
          {:else if m.kind === 'area'}<span class="mark" style="{style(around(m.boxes as Box[]))};border:2px solid #{m.colour}"></span>
          {:else}<span class="mark slip" style="left:{m.boxes[0]![0] * scale}px;top:{m.boxes[0]![1] * scale}px;background:#{m.colour}"></span>{/if}
          <button class="plain grip" class:held={held === m.id} style={style(around(m.boxes as Box[]))} title={told(m)} aria-label="Mark: {told(m)}" onpointerdown={(e) => e.stopPropagation()} onclick={() => (held = held === m.id ? null : m.id)}></button>
        {/each}
        {#if outline}<span class="mark pick" style={style(outline)}></span>{/if}
        {#each over as b, i (i)}<span class="mark over" style="{style(b)};background:#{colour}"></span>{/each}
        {#if drawn && kind !== 'note'}<span class="mark draw" style={style(drawn)}></span>{/if}
        {#if rules?.stamped}<span class="number {place}" style="font-size:{((rules.size ?? 16) * (page.cleaned_dpi ?? 300) * scale) / 72}px" aria-hidden="true">{sheet.label}</span>{/if}
      </div>
    {/if}
  </div>
  <div class="foot">
    <Button size="xs" color="alternative" disabled={bundle.at === 0} title="The sheet before (PgUp)" onclick={() => void bundle.go(bundle.at - 1)}>Before</Button>
    <span><b>{sheet?.label || (sheet?.kind === 'blank' ? 'blank back' : '')}</b> · sheet {bundle.at + 1} of {bundle.sheets.length}</span>
    <Button size="xs" color="alternative" disabled={bundle.at >= bundle.sheets.length - 1} title="The next sheet (PgDn)" onclick={() => void bundle.go(bundle.at + 1)}>Next</Button>
    <Button size="xs" color="alternative" aria-label="Larger" title="Larger (+)" onclick={() => larger('+')}>+</Button>
    <Button size="xs" color="alternative" aria-label="Smaller" title="Smaller (−); 0 for all of it" disabled={zoom === 1} onclick={() => larger('-')}>−</Button>
    <span class="of">{entry?.title ?? ''}</span>
    {#if held !== null}{@const id = held}<Button size="xs" color="alternative" onclick={() => { void bundle.takeMarks([id]); held = null; }}>Take the mark away</Button>{/if}
    <Button size="xs" color="alternative" disabled={!sheet?.page} onclick={late}>Late pages behind this one…</Button>
  </div>
</div>

<style>
  .all { height: 100%; display: flex; flex-direction: column; }
  .tools { display: flex; gap: 10px; padding: 8px 14px; align-items: center; flex-wrap: wrap; }
  .kinds { display: flex; gap: 4px; }
  .kinds button { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; color: var(--color-ink); padding: 3px 9px; min-height: 28px; }
  .kinds button[aria-checked='true'] { background: var(--color-primary-800); border-color: var(--color-primary-800); color: var(--color-paper); }
  .kinds .dot { width: 28px; padding: 0; }
  .kinds .dot[aria-checked='true'] { outline: 3px solid var(--color-ink); outline-offset: -3px; }
  .tools input { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; padding: 3px 8px; font-size: 15px; width: 7.5em; color: var(--color-ink); }
  .tools .says { flex: 1; min-width: 8em; }
  .tools input::placeholder { color: var(--color-quiet); opacity: 1; }
  .table { flex: 1; min-height: 0; display: grid; place-items: center; overflow: hidden; }
  .table.zoomed { overflow: auto; place-items: start; padding: 20px; }
  .leaf { position: relative; background: #fff; box-shadow: 0 2px 10px #0003; touch-action: none; user-select: none; cursor: crosshair; }
  .leaf img { width: 100%; height: 100%; display: block; }
  .leaf.empty { display: grid; place-items: center; cursor: default; padding: 30px; text-align: center; color: var(--color-quiet); }
  .mark { position: absolute; pointer-events: none; }
  .over { mix-blend-mode: multiply; }
  .slip { width: 18px; height: 18px; border: 1px solid #0008; }
  .pick { outline: 2px dashed var(--color-lamp-700); outline-offset: 3px; }
  .draw { outline: 1px dashed var(--color-ink); }
  .grip { position: absolute; min-width: 24px; min-height: 24px; cursor: pointer; }
  .grip.held, .grip:hover { outline: 2px solid var(--color-lamp-700); outline-offset: 2px; }
  .number { position: absolute; font-weight: 700; color: #000; background: #ffffffd9; line-height: 1.1; padding: 0 2px; pointer-events: none; }
  .bottom_left, .bottom_centre, .bottom_right { bottom: 1.6%; }
  .top_left, .top_centre, .top_right { top: 1.6%; }
  .bottom_left, .top_left { left: 2.4%; }
  .bottom_right, .top_right { right: 2.4%; }
  .bottom_centre, .top_centre { left: 50%; transform: translateX(-50%); }
  .foot { display: flex; gap: 10px; align-items: center; padding: 8px 14px; background: var(--color-paper); border-top: 1px solid var(--color-hair); }
  .foot .of { flex: 1; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; color: var(--color-quiet); }
</style>
