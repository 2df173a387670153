<script lang="ts">
  import { tick } from 'svelte';
  import type { BookmarkEntry } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { headings } from '../bench/headings.svelte';
  import { history } from '../bench/history.svelte';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';

  /** The bookmarks: renamed, nested, moved, taken away, one or several at once. */
  let at = $state(0);
  let also = $state.raw<ReadonlySet<number>>(new Set());
  let renaming = $state<number | null>(null);
  let dragged = $state<number | null>(null);
  let target = $state<number | null>(null);
  let list = $state<HTMLUListElement>();
  const COLOURS: [string, string][] = [['', 'black'], ['8a1f11', 'red'], ['0b5345', 'green'], ['1f3c88', 'blue']];
  const marks = $derived(headings.marks);
  const chosen = $derived([...new Set([...also, at])].filter((i) => i < marks.length).sort((a, b) => a - b));
  const here = $derived(marks[at]?.entry);

  function go(to: number, extend = false) {
    const place = Math.min(Math.max(0, to), Math.max(0, marks.length - 1));
    if (extend) {
      const all = new Set(also).add(at);
      for (let i = Math.min(at, place); i <= Math.max(at, place); i++) all.add(i);
      also = all;
    } else also = new Set();
    at = place;
    void tick().then(() => list?.querySelector<HTMLElement>(`[data-mark="${at}"]`)?.focus());
  }

  const set = (entries: BookmarkEntry[] | null) => void headings.set(entries).then(() => go(Math.min(at, headings.marks.length - 1)));
  const change = (patch: Partial<BookmarkEntry>) => set(headings.entries.map((e, i) => (chosen.includes(i) ? { ...e, ...patch } : e)));

  function rename(text: string) {
    const place = renaming;
    renaming = null;
    if (place === null) return;
    const title = text.trim();
    if (title && title !== marks[place]?.entry.title) set(headings.entries.map((e, i) => (i === place ? { ...e, title, renamed: true } : e)));
    else go(place);
  }

  function moveTo(to: number) {
    const before = headings.entries;
    const after = headings.move(at, to);
    if (after !== before) {
      const moved = before[at];
      at = after.indexOf(moved as BookmarkEntry);
      set(after);
    }
  }

  /** Before the one that stands above at its depth or higher, or after the next with what stands within it. */
  function step(by: 1 | -1) {
    const own = headings.beneath(at);
    if (by < 0) {
      let to = at - 1;
      while (to > 0 && (marks[to]?.entry.depth ?? 0) > (here?.depth ?? 0)) to--;
      if (to >= 0) moveTo(to);
    } else {
      const next = own.at(-1)! + 1;
      if (next < marks.length) moveTo(headings.beneath(next).at(-1)! + 1);
    }
  }

  function onKey(event: KeyboardEvent) {
    if (renaming !== null) return;
    const key = event.key.toLowerCase();
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
    if (event.altKey && event.key === 'ArrowUp') step(-1);
    else if (event.altKey && event.key === 'ArrowDown') step(1);
    else if (event.altKey && event.key === 'ArrowRight') set(headings.nest(chosen, 1));
    else if (event.altKey && event.key === 'ArrowLeft') set(headings.nest(chosen, -1));
    else if (event.key === 'ArrowDown') go(at + 1, event.shiftKey);
    else if (event.key === 'ArrowUp') go(at - 1, event.shiftKey);
    else if (event.key === 'F2') renaming = at;
    else if (event.key === 'Delete') set(headings.entries.filter((_, i) => !chosen.includes(i)));
    else if (plain && key === 'b') change({ bold: !here?.bold });
    else if (plain && key === 'i') change({ italic: !here?.italic });
    else if (event.key === 'Enter') open(at);
    else if (event.ctrlKey && key === 'z') void history.turn(event.shiftKey ? 'redo' : 'undo').then(() => headings.load());
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function open(place: number) {
    const mark = marks[place];
    if (!mark) return;
    headings.close();
    if (mark.region_id) void view.goBlock('tag', mark.position, mark.region_id);
    else void view.goPage(mark.position);
  }

  function drop(to: number) {
    if (dragged !== null) {
      at = dragged;
      moveTo(to);
    }
    dragged = target = null;
  }
</script>

<section class="marks" aria-label="Bookmarks">
  <h2>Bookmarks <span>{headings.fromHeadings ? 'from the headings' : 'changed by hand, in step with the headings'}</span></h2>
  {#if !marks.length}<p class="quiet">None. They come from the headings; on the sheet, B makes one of the block in hand.</p>{/if}
  <ul bind:this={list} role="tree" aria-label="Bookmarks" aria-multiselectable="true">
    {#each marks as mark, i (i)}
      <li role="treeitem" aria-level={mark.entry.depth + 1} aria-selected={chosen.includes(i)} tabindex={i === at ? 0 : -1} data-mark={i} class:target={target === i} draggable={renaming !== i}
        style:padding-left="{8 + mark.entry.depth * 18}px" onkeydown={onKey}
        onclick={(e) => { if (e.ctrlKey || e.metaKey) { also = new Set(also).add(at).add(i); at = i; } else go(i, e.shiftKey); }} ondblclick={() => (renaming = i)}
        ondragstart={(e) => { dragged = i; e.dataTransfer?.setData('text/plain', mark.entry.title); }} ondragover={(e) => { if (dragged !== null) { e.preventDefault(); target = i; } }}
        ondrop={(e) => { e.preventDefault(); drop(i); }} ondragend={() => (dragged = target = null)}>
        {#if renaming === i}
          <!-- svelte-ignore a11y_autofocus -->
          <input value={mark.entry.title} maxlength="500" autofocus aria-label="Title of the bookmark" onblur={(e) => rename(e.currentTarget.value)}
            onkeydown={(e) => { e.stopPropagation(); if (e.key === 'Enter') e.currentTarget.blur(); else if (e.key === 'Escape') { renaming = null; go(i); } }} />
        {:else}<bdi style:font-weight={mark.entry.bold ? 700 : 400} style:font-style={mark.entry.italic ? 'italic' : 'normal'} style:color={mark.entry.colour ? `#${mark.entry.colour}` : ''}>{mark.entry.title}</bdi>{/if}
        {#if mark.entry.follows}<span class="link" title="Goes with its heading" aria-label="goes with its heading">¶</span>{/if}
        <span class="page">{mark.position + 1}</span>
      </li>
    {/each}
    {#if dragged !== null}<li class="end" class:target={target === -1} role="presentation" ondragover={(e) => { e.preventDefault(); target = -1; }} ondrop={(e) => { e.preventDefault(); drop(marks.length); }}>to the end</li>{/if}
  </ul>
  <p class="quiet"><button title="To the page that lies on the sheet, as a whole" onclick={() => void headings.add({})}>Add page {desk.pageIndex + 1}</button></p>
  {#if marks.length}
    <div class="bar" role="group" aria-label="{counted(chosen.length, 'bookmark')} in hand">
      <button title="F2" onclick={() => (renaming = at)}>Rename</button>
      <button title="Alt →" onclick={() => set(headings.nest(chosen, 1))}>Deeper</button><button title="Alt ←" onclick={() => set(headings.nest(chosen, -1))}>Higher</button>
      <button title="Alt ↑" onclick={() => step(-1)}>Up</button><button title="Alt ↓" onclick={() => step(1)}>Down</button>
      <button title="B" aria-pressed={!!here?.bold} onclick={() => change({ bold: !here?.bold })}><b>Bold</b></button><button title="I" aria-pressed={!!here?.italic} onclick={() => change({ italic: !here?.italic })}><i>Italic</i></button>
      <select aria-label="Colour" value={here?.colour ?? ''} onchange={(e) => change({ colour: e.currentTarget.value })}>{#each COLOURS as [value, name] (value)}<option {value}>{name}</option>{/each}</select>
      <button title="Delete" onclick={() => set(headings.entries.filter((_, i) => !chosen.includes(i)))}>Remove</button>
    </div>
  {/if}
  {#if !headings.fromHeadings}<p class="quiet"><button onclick={() => set(null)}>The headings again</button> what was changed by hand goes; undo brings it back</p>{/if}
</section>

<style>
  .marks { display: flex; flex-direction: column; min-height: 0; background: var(--color-paper); border-left: 1px solid var(--color-hair); padding: 8px 10px; gap: 6px; font-size: 14px; }
  h2 { margin: 0; font-size: 16px; font-weight: 700; }
  h2 span { font-weight: 400; color: var(--color-quiet); font-size: 13px; }
  ul { list-style: none; margin: 0; padding: 0; overflow: auto; flex: 1; min-height: 0; }
  li { display: flex; gap: 6px; align-items: baseline; padding: 2px 8px; min-height: 26px; border-radius: 4px; cursor: default; }
  li bdi { flex: 1; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  li[aria-selected='true'] { background: var(--color-lamp-100); }
  li:focus-visible { outline: 3px solid var(--color-lamp-500); outline-offset: -3px; }
  li.target { box-shadow: inset 0 3px 0 var(--color-lamp-500); }
  li.end { color: var(--color-quiet); border-top: 1px dashed var(--color-hair); }
  input { flex: 1; border: 1px solid #7b8a86; border-radius: 4px; padding: 0 5px; font-size: 14px; background: #fff; }
  .link { color: var(--color-quiet); font-size: 12px; }
  .page { color: var(--color-quiet); font-variant-numeric: tabular-nums; }
  .bar { display: flex; flex-wrap: wrap; gap: 4px; }
  button, select { border: 1px solid var(--color-hair); background-color: #fff; border-radius: 5px; padding: 2px 9px; font-size: 14px; min-height: 26px; }
  select { padding-right: 26px; }
  button[aria-pressed='true'] { background: var(--color-lamp-300); border-color: var(--color-primary-900); }
  .quiet { color: var(--color-quiet); margin: 0; }
</style>
