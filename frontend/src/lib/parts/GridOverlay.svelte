<script lang="ts">
  import { tick, untrack } from 'svelte';
  import type { Region } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { linesOfTable } from '../bench/outline';
  import { saying } from '../bench/saying.svelte';
  import { shaping } from '../bench/shaping.svelte';
  import { tables } from '../bench/tables.svelte';

  let { region, table, scale }: { region: Region; table: NonNullable<Region['table']>; scale: number } = $props();
  type Axis = 'rows' | 'columns';
  let layer = $state<HTMLDivElement>();
  let held = $state<{ axis: Axis; index: number; at: number } | null>(null);
  let line = $state<{ axis: Axis; index: number }>({ axis: 'rows', index: 1 });
  let typed = $state<string | null>(null);
  let idle: ReturnType<typeof setTimeout> | null = null;

  const lines = $derived(linesOfTable(table));
  const rtl = $derived(about.rightToLeft(region.language));
  const left = $derived(lines.columns[0]! * scale);
  const top = $derived(lines.rows[0]! * scale);
  const width = $derived((lines.columns.at(-1)! - lines.columns[0]!) * scale);
  const height = $derived((lines.rows.at(-1)! - lines.rows[0]!) * scale);
  const cell = $derived(tables.cell(table));
  const marked = $derived(tables.marked);
  const at = (axis: Axis, index: number) => (held?.axis === axis && held.index === index ? held.at : lines[axis][index]!);
  const text = (c: (typeof table.cells)[number]) => (c.lines ?? []).map((l) => l.words.map((w) => w.text).join(' ')).join('\n');

  untrack(() => tables.take(region));

  const place = (event: PointerEvent | MouseEvent) => {
    const frame = layer!.getBoundingClientRect();
    return { x: (event.clientX - frame.left) / scale + lines.columns[0]!, y: (event.clientY - frame.top) / scale + lines.rows[0]! };
  };

  // Lines

  function hold(event: PointerEvent, axis: Axis, index: number) {
    if (event.button !== 0) return;
    event.stopPropagation();
    line = { axis, index };
    held = { axis, index, at: lines[axis][index]! };
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  }

  function drag(event: PointerEvent) {
    if (!held || !(event.currentTarget as HTMLElement).hasPointerCapture(event.pointerId)) return;
    event.stopPropagation();
    held = { ...held, at: held.axis === 'rows' ? place(event).y : place(event).x };
  }

  async function drop() {
    if (idle) clearTimeout(idle);
    idle = null;
    const now = held;
    if (!now) return;
    if (Math.abs(now.at - lines[now.axis][now.index]!) >= 1) await shaping.send({ op: 'move_line', region_id: region.id, axis: now.axis, index: now.index, to: now.at }, 'Line moved');
    held = null;
  }

  async function removeLine(axis: Axis, index: number) {
    if (await shaping.send({ op: 'remove_line', region_id: region.id, axis, index }, 'Line taken away')) await focusLine(axis, Math.max(1, index - 1));
  }

  const addLine = (axis: Axis, at: number) => shaping.send({ op: 'add_line', region_id: region.id, axis, at }, axis === 'rows' ? 'A row more' : 'A column more');

  async function focusLine(axis: Axis, index: number) {
    line = { axis, index };
    await tick();
    layer?.querySelector<HTMLElement>(`[data-line="${axis}-${index}"]`)?.focus();
  }

  function onLineKey(event: KeyboardEvent, axis: Axis, index: number) {
    const along: Record<string, number> = axis === 'rows' ? { ArrowUp: -1, ArrowDown: 1 } : { ArrowLeft: -1, ArrowRight: 1 };
    const across: Record<string, number> = axis === 'rows' ? { ArrowLeft: -1, ArrowRight: 1 } : { ArrowUp: -1, ArrowDown: 1 };
    const by = along[event.key], step = across[event.key];
    const last = lines[axis].length - 1;
    if (by) {
      held = { axis, index, at: at(axis, index) + (by * (event.shiftKey ? 20 : 3)) / scale };
      if (idle) clearTimeout(idle);
      idle = setTimeout(() => void drop(), 900);
    } else if (step) void focusLine(axis, Math.min(Math.max(0, index + step), last));
    else if (event.key === 'Enter') void drop();
    else if (event.key === 'Escape' && held) held = null;
    else if (event.key === 'Delete' || event.key === 'Backspace') void removeLine(axis, index);
    else if (event.key === 'Insert' || event.key === '+') void addLine(axis, (lines[axis][index]! + lines[axis][Math.min(index + 1, last)]!) / 2);
    else if (event.key === '/') void focusLine(axis === 'rows' ? 'columns' : 'rows', 1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  // Cells

  async function focusCell() {
    await tick();
    layer?.querySelector<HTMLElement>('[data-cell][tabindex="0"]')?.focus();
  }

  function onCellDown(event: PointerEvent, row: number, column: number) {
    if (event.button !== 0) return;
    event.stopPropagation();
    tables.go(row, column, event.shiftKey);
  }

  function begin(fresh: string | null = null) {
    typed = fresh ?? (cell ? text(cell) : '');
  }

  /** The field is written in at once, what stands in it whole chosen unless a key began it. */
  function inHand(field: HTMLTextAreaElement) {
    field.focus();
    if (field.value.length > 1) field.select();
    else field.setSelectionRange(1, 1);
  }

  /** Keep what was typed and go on at once: whoever types fast must not wait for the server. */
  function keep(goOn: () => void = () => undefined) {
    const now = typed, written = cell;
    typed = null;
    goOn();
    void focusCell();
    if (written && now !== null && now !== text(written)) void shaping.send({ op: 'set_cell', region_id: region.id, row: written.row, column: written.column, text: now });
  }

  function onCellKey(event: KeyboardEvent) {
    const way = ({ ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, rtl ? 1 : -1], ArrowRight: [0, rtl ? -1 : 1] } as Record<string, [number, number]>)[event.key];
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    if (way) {
      tables.step(table, way[0], way[1], event.shiftKey);
      void focusCell();
    } else if (event.key === 'Tab') {
      if (!tables.follow(table, event.shiftKey ? -1 : 1)) return; // out of the table at its ends
      void focusCell();
    } else if (event.key === 'Enter' || event.key === 'F2') begin();
    else if (event.key === 'Delete' || event.key === 'Backspace') {
      typed = '';
      keep();
    } else if (event.key.length === 1 && event.key !== ' ') begin(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function onFieldKey(event: KeyboardEvent) {
    if (event.key === 'Escape') {
      typed = null;
      void focusCell();
    } else if (event.key === 'Enter' && !event.altKey) keep(() => tables.step(table, 1, 0));
    else if (event.key === 'Tab') keep(() => tables.follow(table, event.shiftKey ? -1 : 1));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const within = (c: (typeof table.cells)[number]) => marked !== null && c.row >= marked.row && c.row < marked.row + marked.row_span && c.column >= marked.column && c.column < marked.column + marked.column_span;

  function label(c: (typeof table.cells)[number]): string {
    return `${c.header ? 'Header, ' : ''}row ${c.row + 1}, column ${c.column + 1}: ${text(c).replaceAll('\n', ' ') || 'empty'}`;
  }

  $effect(() => {
    const said = cell ? label(cell) : '';
    if (said) untrack(() => saying.say(said));
  });
</script>

<!-- svelte-ignore a11y_no_static_element_interactions, a11y_click_events_have_key_events -->
<div bind:this={layer} class="grid-layer" data-grid role="group" aria-label="Table in hand: {table.rows} rows, {table.columns} columns" style:left="{left}px" style:top="{top}px" style:width="{width}px" style:height="{height}px">
  <div class="ruler side" title="Click for a line across" aria-hidden="true" onpointerdown={(e) => { e.stopPropagation(); void addLine('rows', place(e).y); }}></div>
  <div class="ruler head" title="Click for a line down" aria-hidden="true" onpointerdown={(e) => { e.stopPropagation(); void addLine('columns', place(e).x); }}></div>
  {#each table.cells as c (`${c.row}.${c.column}`)}
    {@const here = c === cell}
    <button class="cell" class:here class:marked={within(c)} class:header={c.header} data-cell tabindex={here ? 0 : -1} aria-label={label(c)}
      style:left="{c.box[0]! * scale - left}px" style:top="{c.box[1]! * scale - top}px" style:width="{(c.box[2]! - c.box[0]!) * scale}px" style:height="{(c.box[3]! - c.box[1]!) * scale}px"
      onpointerdown={(e) => onCellDown(e, c.row, c.column)} ondblclick={() => begin()} onkeydown={onCellKey} onfocus={() => { if (!within(c)) tables.go(c.row, c.column); }}></button>
  {/each}
  {#each ['rows', 'columns'] as const as axis (axis)}
    {#each lines[axis] as _, i (i)}
      {@const place = at(axis, i) * scale - (axis === 'rows' ? top : left)}
      <button class="line {axis}" class:outer={i === 0 || i === lines[axis].length - 1} data-line="{axis}-{i}" tabindex={line.axis === axis && line.index === i ? 0 : -1}
        aria-label="{axis === 'rows' ? 'Line across' : 'Line down'} {i} of {lines[axis].length - 1}" title="Drag, or arrow keys; Delete takes it away, + adds one"
        style:top={axis === 'rows' ? `${place - 4}px` : '0'} style:left={axis === 'rows' ? '0' : `${place - 4}px`}
        onpointerdown={(e) => hold(e, axis, i)} onpointermove={drag} onpointerup={() => void drop()} onkeydown={(e) => onLineKey(e, axis, i)} ondblclick={() => void removeLine(axis, i)}></button>
    {/each}
  {/each}
  {#if typed !== null && cell}
    <textarea {@attach inHand} class="field" dir={rtl ? 'rtl' : 'ltr'} aria-label="Text of row {cell.row + 1}, column {cell.column + 1}" bind:value={typed} onkeydown={onFieldKey} onblur={() => { if (typed !== null) keep(); }} onpointerdown={(e) => e.stopPropagation()}
      style:left="{cell.box[0]! * scale - left - 2}px" style:top="{cell.box[3]! * scale - top - 1}px" style:min-width="{Math.max(120, (cell.box[2]! - cell.box[0]!) * scale + 4)}px" rows={Math.max(1, typed.split('\n').length)}></textarea>
  {/if}
</div>

<style>
  .grid-layer { position: absolute; }
  .cell { position: absolute; border: 0; padding: 0; background: transparent; cursor: cell; border-radius: 0; }
  .cell.header { background: #143d3a12; }
  .cell.marked { background: #e09a2e30; }
  .cell.here { outline: 2px solid #8a4b06; outline-offset: -2px; }
  .line { position: absolute; border: 0; padding: 0; background: transparent; touch-action: none; border-radius: 0; }
  .line::after { content: ''; position: absolute; background: #1d5f58; }
  .line.rows { width: 100%; height: 9px; cursor: ns-resize; }
  .line.rows::after { left: 0; right: 0; top: 4px; height: 1.5px; }
  .line.columns { height: 100%; width: 9px; cursor: ew-resize; }
  .line.columns::after { top: 0; bottom: 0; left: 4px; width: 1.5px; }
  .line:hover::after, .line:focus-visible::after { background: #8a4b06; box-shadow: 0 0 0 1.5px #e09a2e; }
  .line:focus-visible { outline: none; }
  .line.outer::after { background: #0a1f1e; }
  .ruler { position: absolute; background: repeating-linear-gradient(45deg, #1d5f5822 0 3px, transparent 3px 7px); cursor: copy; }
  .ruler:hover { background-color: #e09a2e44; }
  .ruler.side { left: -18px; top: 0; bottom: 0; width: 11px; }
  .ruler.head { top: -18px; left: 0; right: 0; height: 11px; }
  .field { position: absolute; z-index: 3; border: 2px solid #8a4b06; border-radius: 4px; background: #fff; padding: 2px 5px; font: 15px var(--font-sans); color: var(--color-ink); resize: none; box-shadow: 0 4px 14px #0003; }
</style>
