<script lang="ts">
  import { Spinner } from 'flowbite-svelte';
  import type { Region } from '../api/client';
  import { boxOf } from '../bench/content';
  import { desk } from '../bench/desk.svelte';
  import { everything, headersOf } from '../bench/outline';
  import { selection } from '../bench/selection.svelte';
  import { shaping, type Tool } from '../bench/shaping.svelte';
  import { tables } from '../bench/tables.svelte';
  import { about } from '../bench/about.svelte';
  import { take } from '../bench/taking.svelte';

  const tools: { id: Tool; name: string; key: string; what: string }[] = [
    { id: 'draw', name: 'Draw', key: 'D', what: 'Draw a block, with Shift around anything; then say what it is' },
    { id: 'take_out', name: 'Take out', key: 'T', what: 'Take an area out of the block in hand, or of all blocks under it: it stays in the picture and is not read' },
    { id: 'cut', name: 'Cut', key: 'K', what: 'Cut a block in two with a line through it' },
    { id: 'redact', name: 'Redact', key: 'X', what: 'Take an area out of all that is delivered, for good: picture, text, tags and all; the scan keeps it' },
    { id: 'thread', name: 'Thread', key: 'G', what: 'Set the reading order with one stroke through the blocks' },
  ];
  const chosen = $derived(everything(desk.page?.content).filter((r) => selection.regions.includes(r.id)));
  const one = $derived(chosen.length === 1 ? (chosen[0] as Region) : null);
  const kinds = $derived(new Set(chosen.map((r) => r.kind)));
  const table = $derived(one?.table ?? null);
  const heads = $derived(table ? headersOf(table) : { rows: 0, columns: 0 });
  const spanned = $derived.by(() => {
    const c = table && tables.cell(table);
    return c ? (c.row_span ?? 1) * (c.column_span ?? 1) > 1 : false;
  });
  let file = $state<HTMLInputElement>();
  const MM = 25.4;
  const printed = $derived(one && desk.page?.content ? String(Math.round(((boxOf(one)[2] - boxOf(one)[0]) / desk.page.content.dpi) * MM)) : 'page');
  const set = $derived(chosen[0]?.width && chosen.every((r) => r.width === chosen[0]!.width) ? Math.round(chosen[0].width * MM) : '');
  const several = $derived(tables.marked.row_span * tables.marked.column_span > 1);
  const leavings = [['clipboard', 'Copy'], ['txt', 'Text'], ['docx', 'DOCX'], ['xlsx', 'XLSX']] as const;
  const others = $derived((about.told?.formats ?? []).filter((f) => f.purpose !== 'listening' && !['txt', 'docx', 'xlsx', 'pptx'].includes(f.name) && (!f.tables_only || chosen.some((r) => r.table))));

  const headers = (rows: number, columns: number) => one && shaping.send({ op: 'set_headers', region_id: one.id, rows: Math.max(0, rows), columns: Math.max(0, columns) }, `${rows} header rows, ${columns} header columns`);
</script>

<div class="bars">
  {#if chosen.length && shaping.tool === 'none'}
    <div class="bar" role="group" aria-label={chosen.length > 1 ? `${chosen.length} blocks in hand` : 'The block in hand'}>
      <span>{chosen.length > 1 ? `${chosen.length} blocks` : 'Make it'}</span>
      {#if kinds.size > 1 || !kinds.has('text')}<button onclick={() => void shaping.makeOf('text')}>Text</button>{/if}
      {#if kinds.size > 1 || !kinds.has('table')}<button onclick={() => void shaping.makeOf('table')}>Table</button>{/if}
      {#if kinds.size > 1 || !kinds.has('figure')}<button onclick={() => void shaping.makeOf('figure')}>Picture</button>{/if}
      {#if kinds.has('figure') && kinds.size === 1}<button title="Blank in all that is delivered; the scan keeps it" onclick={() => void shaping.omit(!chosen.every((r) => r.omitted))}>{chosen.every((r) => r.omitted) ? 'Put back' : 'Leave out'}</button>{/if}
      {#if kinds.has('figure')}<button title="Seen, not read" onclick={() => void shaping.background()}>Background</button>{/if}
      {#if chosen.length > 1}<button title="M" onclick={() => void shaping.merge()}>Merge</button>{/if}
      {#if !kinds.has('figure')}<button title="R" onclick={() => void shaping.read()}>Read again</button>{/if}
      <button title="Delete" onclick={() => void shaping.remove()}>Remove</button>
      <span>Deliver</span>
      {#each leavings as [how, name] (how)}
        {#if kinds.size === 1 && kinds.has('figure') ? how === 'docx' : how !== 'xlsx' || chosen.some((r) => r.table)}<button onclick={() => void take(chosen as Region[], how)}>{name}</button>{/if}
      {/each}
      <select aria-label="Deliver in another format" value="" onchange={(e) => { const how = e.currentTarget.value; e.currentTarget.value = ''; if (how) void take(chosen as Region[], how); }}>
        <option value="">more…</option>
        {#each others as f (f.name)}<option value={f.name}>{f.describes}</option>{/each}
      </select>
    </div>
    {#if kinds.size === 1 && kinds.has('figure')}
      <div class="bar" role="group" aria-label="The picture in hand">
        <span>Picture</span>
        {#if one}
          <button title="An image of a file stands in its stead in all that is delivered; the scan stays as it is" onclick={() => file?.click()}>From a file…</button>
          <input bind:this={file} hidden type="file" accept="image/*,.tif,.tiff,.pdf" aria-label="The image for the picture's stead" onchange={(e) => { const chosen = e.currentTarget.files?.[0]; e.currentTarget.value = ''; if (chosen) void shaping.substitute(one.id, chosen); }} />
          {#if one.substitute}<button onclick={() => void shaping.restore(one.id)}>The scan's own</button>{/if}
        {/if}
        <label>Width in office files <input type="number" min="0" max="1200" step="1" placeholder={printed} value={set} onchange={(e) => void shaping.resize(Number(e.currentTarget.value))} /> mm</label>
      </div>
    {/if}
    {#if one && table}
      <div class="bar" role="group" aria-label="The table in hand">
        <span>Table</span>
        <button title="Look for rows and columns within the outline" onclick={() => void shaping.send({ op: 'find_lines', region_id: one.id }, 'Lines found again')}>Find lines</button>
        <button disabled={!several} title="Shift with a click or an arrow key marks cells" onclick={() => void shaping.send({ op: 'merge_cells', region_id: one.id, ...tables.marked }, 'Cells merged')}>Merge cells</button>
        <button disabled={!spanned} onclick={() => void shaping.send({ op: 'part_cell', region_id: one.id, row: tables.row, column: tables.column }, 'Cell parted')}>Part cell</button>
        <span>Header rows</span>
        <button aria-label="One header row less" disabled={heads.rows === 0} onclick={() => void headers(heads.rows - 1, heads.columns)}>−</button><b>{heads.rows}</b>
        <button aria-label="One header row more" disabled={heads.rows >= table.rows} onclick={() => void headers(heads.rows + 1, heads.columns)}>+</button>
        <span>columns</span>
        <button aria-label="One header column less" disabled={heads.columns === 0} onclick={() => void headers(heads.rows, heads.columns - 1)}>−</button><b>{heads.columns}</b>
        <button aria-label="One header column more" disabled={heads.columns >= table.columns} onclick={() => void headers(heads.rows, heads.columns + 1)}>+</button>
      </div>
    {/if}
  {/if}
  <div class="bar" role="group" aria-label="By hand">
    <span>By hand</span>
    {#each tools as t (t.id)}<button title="{t.what} ({t.key})" aria-pressed={shaping.tool === t.id} aria-keyshortcuts={t.key} onclick={() => shaping.use(t.id)}>{t.name}</button>{/each}
    {#if shaping.busy}<em role="status"><Spinner size="4" /> reading…</em>{/if}
  </div>
</div>

<style>
  select { width: 6.4rem; min-height: 30px; padding: 0 24px 0 10px; border: 0; border-left: 1px solid var(--color-hair); background-color: transparent; font-size: 14px; color: var(--color-ink); }
  .bars { position: absolute; left: 14px; bottom: 10px; display: flex; flex-direction: column; align-items: flex-start; gap: 5px; max-width: calc(100% - 40px); pointer-events: none; }
  .bar { pointer-events: auto; display: flex; flex-wrap: wrap; align-items: center; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 8px; overflow: hidden; box-shadow: 0 2px 8px #0003; }
  .bar span { padding: 5px 6px 5px 12px; font-size: 14px; font-weight: 700; }
  .bar label { display: flex; align-items: center; gap: 5px; border-left: 1px solid var(--color-hair); padding: 2px 10px; font-size: 14px; }
  .bar label input { width: 5.5em; padding: 1px 6px; font-size: 14px; border-radius: 4px; }
  .bar label input::placeholder { color: #6d7c78; font-style: italic; }
  .bar b { min-width: 16px; text-align: center; font-size: 14px; }
  .bar em { display: flex; align-items: center; gap: 6px; padding: 0 12px; font-size: 14px; font-style: normal; }
  .bar button { border: 0; border-left: 1px solid var(--color-hair); background: transparent; padding: 5px 10px; font-size: 14px; color: var(--color-ink); }
  .bar button:hover:not(:disabled) { background: var(--color-primary-50); }
  .bar button:disabled { color: #7b8a86; }
  .bar button[aria-pressed='true'] { background: var(--color-lamp-500); }
</style>
