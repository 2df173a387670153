<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { BundleEntry } from '../api/client';
  import { api } from '../api/client';
  import { bundle } from '../bench/bundle.svelte';
  import { notices } from '../bench/notices.svelte';
  import { reach } from '../bench/running';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';

  /** The entries in order, of which only those in sight are drawn: five thousand are as quick as ten. */
  const ROW = 46, BEYOND = 10 * ROW;
  let box = $state<HTMLDivElement>();
  let high = $state(600);
  let scroll = $state(0);
  let gap = $state<number | null>(null);
  let dragged = $state<number | null>(null);
  let listing = $state<HTMLInputElement>();
  let unused = $state.raw<string[]>([]);
  let editing = $state(false);

  const entries = $derived(bundle.entries);
  const from = $derived(Math.max(0, Math.floor((scroll - BEYOND) / ROW)));
  const shown = $derived(entries.slice(from, Math.ceil((scroll + high + BEYOND) / ROW)).map((e, i) => ({ e, at: from + i })));
  const picked = $derived(new Set(bundle.picked));
  const entry = $derived(bundle.entry);
  const those = $derived(bundle.picked.length ? bundle.picked : entry ? [entry.id] : []);

  function see(at: number) {
    if (!box) return;
    const top = at * ROW;
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + ROW > box.scrollTop + box.clientHeight) box.scrollTop = top + ROW - box.clientHeight;
    requestAnimationFrame(() => box?.querySelector<HTMLElement>(`[data-entry="${entries[at]?.id}"]`)?.focus());
  }

  function take(e: BundleEntry, event: MouseEvent) {
    const before = entries.findIndex((x) => x.id === bundle.cursor), at = entries.findIndex((x) => x.id === e.id);
    if (event.shiftKey && before >= 0) bundle.picked = entries.slice(Math.min(before, at), Math.max(before, at) + 1).map((x) => x.id);
    else if (event.ctrlKey || event.metaKey) bundle.picked = picked.has(e.id) ? bundle.picked.filter((p) => p !== e.id) : [...bundle.picked, e.id];
    else {
      bundle.picked = [];
      bundle.goEntry(e);
      return;
    }
    bundle.cursor = e.id;
  }

  async function onKey(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey || (event.target as HTMLElement).tagName === 'INPUT') return;
    const at = entries.findIndex((e) => e.id === bundle.cursor), own = entries[at];
    const arrow = ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight'].includes(event.key);
    if (event.altKey && arrow && own) {
      event.preventDefault();
      event.stopPropagation();
      if (event.key === 'ArrowUp' || event.key === 'ArrowDown') await bundle.step(own.id, event.key === 'ArrowUp' ? -1 : 1);
      else await bundle.deepen(own.id, event.key === 'ArrowRight' ? 1 : -1);
      see(entries.findIndex((e) => e.id === own.id));
    } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp' || event.key === 'Home' || event.key === 'End') {
      event.preventDefault();
      const to = event.key === 'Home' ? 0 : event.key === 'End' ? entries.length - 1 : Math.max(0, Math.min(entries.length - 1, at + (event.key === 'ArrowDown' ? 1 : -1)));
      const next = entries[to];
      if (!next) return;
      if (event.shiftKey) bundle.picked = [...new Set([...bundle.picked, ...(own ? [own.id] : []), next.id])];
      else bundle.picked = [];
      bundle.goEntry(next);
      see(to);
    } else if (event.key === ' ' && own) {
      event.preventDefault();
      bundle.picked = picked.has(own.id) ? bundle.picked.filter((p) => p !== own.id) : [...bundle.picked, own.id];
    } else if (event.key === 'Delete' && those.length) {
      event.preventDefault();
      await bundle.takeOut(those);
    } else if (event.key === 'Enter' && own) {
      event.preventDefault();
      document.getElementById('entry-title')?.focus();
    }
  }

  /** Before which entry something is let fall. */
  function gapAt(event: DragEvent): number {
    const top = box!.getBoundingClientRect().top;
    return Math.max(0, Math.min(entries.length, Math.round((event.clientY - top + box!.scrollTop) / ROW)));
  }

  function over(event: DragEvent) {
    const kinds = event.dataTransfer?.types ?? [];
    if (dragged === null && !kinds.includes('application/x-hyalen-documents')) return;
    event.preventDefault();
    gap = gapAt(event);
  }

  async function fall(event: DragEvent) {
    event.preventDefault();
    const to = gapAt(event), mine = dragged;
    gap = null;
    dragged = null;
    if (mine !== null) {
      await bundle.move(mine, to);
      return;
    }
    const told = event.dataTransfer?.getData('application/x-hyalen-documents');
    if (!told) return;
    await bundle.putIn(JSON.parse(told) as number[], entries[to - 1]?.id ?? 0);
  }

  const tell = (told: { title?: string; date?: string; label?: string; after_page?: number }) => {
    const id = entry?.id;
    if (id !== undefined) void bundle.change((b, revision) => api.tellEntry(b, id, { revision, ...told }));
  };

  const byList = (files: FileList | null) => notices.attempt(async () => {
    const file = files?.[0];
    if (!file) return;
    const told = await api.listBundle(bundle.id, file);
    unused = told.unused;
    notices.notify(`${counted(told.entries, 'entry').replace('entrys', 'entries')} put in order${told.unused.length ? `; ${counted(told.unused.length, 'line')} of no use` : ''}`);
    await bundle.reload();
    if (listing) listing.value = '';
  });

  let heading = $state('');
  const begin = async () => {
    const title = heading.trim();
    if (!title) return;
    heading = '';
    editing = false;
    await bundle.section(title);
    see(entries.findIndex((e) => e.id === bundle.cursor));
  };
  const hosts = (e: BundleEntry) => (e.after_page ? bundle.sheets.find((s) => s.page === e.after_page)?.label : undefined);
</script>

<div class="bar">
  {#if editing}
    <!-- svelte-ignore a11y_autofocus -->
    <input class="field" placeholder="The section’s title" aria-label="The section’s title" bind:value={heading} maxlength="500" autofocus onkeydown={(e) => { if (e.key === 'Enter') void begin(); if (e.key === 'Escape') editing = false; }} />
    <Button size="xs" onclick={begin}>Begin</Button>
  {:else}
    <Button size="xs" color="alternative" title="It begins before the entry in hand" onclick={() => (editing = true)}>Section…</Button>
    <Button size="xs" color="alternative" disabled={entries.length < 2} onclick={() => void bundle.change((id, r) => api.sortBundle(id, r, 'date'))}>By date</Button>
    <Button size="xs" color="alternative" disabled={entries.length < 2} onclick={() => void bundle.change((id, r) => api.sortBundle(id, r, 'title'))}>By title</Button>
    <Button size="xs" color="alternative" title="A CSV file: file, section, title, date, label, depth" onclick={() => listing?.click()}>By a list…</Button>
    <input bind:this={listing} type="file" accept=".csv,text/csv,text/plain" class="sr" tabindex="-1" aria-label="A list of the order" onchange={(e) => void byList(e.currentTarget.files)} />
  {/if}
</div>
{#if unused.length}
  <details class="unused"><summary>{counted(unused.length, 'line')} of no use <button class="plain underline" onclick={() => (unused = [])}>put away</button></summary><ul>{#each unused as line (line)}<li>{line}</li>{/each}</ul></details>
{/if}
<!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_no_noninteractive_tabindex -->
<div bind:this={box} bind:clientHeight={high} class="box" role="listbox" aria-label="Entries in order" aria-multiselectable="true" tabindex={entries.length ? -1 : 0} onscroll={() => (scroll = box?.scrollTop ?? 0)} onkeydown={onKey} ondragover={over} ondragleave={() => (gap = null)} ondrop={fall}>
  {#if !entries.length}
    <p class="text-quiet p-8 text-center">Nothing is in the bundle yet. Take documents from the shelf: drag them here, or pick them and put them in.</p>
  {/if}
  <div class="rail" role="presentation" style:height="{entries.length * ROW}px">
    {#each shown as { e, at } (e.id)}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <div class="row" class:section={e.section} class:here={e.id === bundle.cursor} class:picked={picked.has(e.id)} data-entry={e.id} role="option" aria-selected={picked.has(e.id) || e.id === bundle.cursor} aria-posinset={at + 1} aria-setsize={entries.length} tabindex={e.id === bundle.cursor ? 0 : -1}
        style:top="{at * ROW}px" draggable="true"
        ondragstart={(event) => { dragged = e.id; event.dataTransfer?.setData('text/plain', e.title); }} ondragend={() => { dragged = null; gap = null; }}
        onclick={(event) => take(e, event)}>
        <span class="label" title={e.label}>{e.label}</span>
        <span class="title" style:padding-left="{e.depth * 14}px">
          <span class="line">{e.title || 'Untitled'}</span>
          {#if e.trouble}<span class="line text-lamp-700">{e.trouble}</span>
          {:else if e.after_page}<span class="line text-quiet">behind page {hosts(e) ?? '?'}</span>
          {:else if e.date}<span class="line text-quiet">{e.date}</span>{/if}
        </span>
        {#if e.first && !e.section}<span class="stub">{e.first}{#if e.last !== e.first}<br />{e.last}{/if}</span>{/if}
      </div>
    {/each}
    {#if gap !== null}<div class="gap" style:top="{gap * ROW - 2}px"></div>{/if}
  </div>
</div>
{#if entry}
  {#key `${entry.id} ${entry.own_title} ${entry.own_date} ${entry.own_label}`}
    <div class="entry">
      <label>Label <input class="field short" value={entry.own_label} placeholder={entry.label} maxlength="40" onchange={(e) => tell({ label: e.currentTarget.value })} /></label>
      <label class="wide">Title <input id="entry-title" class="field" value={entry.own_title} placeholder={entry.title} maxlength="500" onchange={(e) => tell({ title: e.currentTarget.value })} /></label>
      {#if !entry.section}<label>Date <input class="field short" value={entry.own_date} placeholder={entry.date || 'none'} maxlength="100" onchange={(e) => tell({ date: e.currentTarget.value })} /></label>{/if}
      <div class="does">
        <span class="text-quiet">{entry.section ? counted(reach(entries, entries.indexOf(entry))[1] - entries.indexOf(entry), 'entry').replace('entrys', 'entries') : `${entry.file || entry.title}, ${counted(entry.pages, 'page')}`}</span>
        {#if entry.document}{@const d = entry.document}<Button size="xs" color="alternative" onclick={() => void view.goDocument(d)}>Open</Button>{/if}
        {#if entry.after_page}<Button size="xs" color="alternative" onclick={() => tell({ after_page: 0 })}>Behind its neighbour</Button>{/if}
        <Button size="xs" color="alternative" onclick={() => void bundle.takeOut(those)}>Take out{those.length > 1 ? ` ${those.length}` : ''}</Button>
      </div>
    </div>
  {/key}
{/if}

<style>
  .bar { display: flex; gap: 8px; padding: 9px 14px; border-bottom: 1px solid var(--color-hair); align-items: center; flex-wrap: wrap; }
  .field { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; color: var(--color-ink); padding: 3px 8px; font-size: 15px; width: 100%; min-width: 0; }
  .field::placeholder { color: var(--color-quiet); font-weight: 400; opacity: 1; }
  .bar .field { flex: 1; }
  .box { flex: 1; min-height: 0; overflow-y: auto; position: relative; }
  .rail { position: relative; }
  .row { position: absolute; left: 0; right: 0; height: 46px; display: flex; align-items: center; gap: 10px; padding: 0 12px; border-bottom: 1px solid #dfe4e1; cursor: grab; contain: strict; user-select: none; }
  .row.section { background: #eef1ee; font-weight: 700; }
  .row.picked { background: var(--color-primary-100); }
  .row.here { box-shadow: inset 5px 0 0 var(--color-primary-600); }
  .label { width: 3.2em; flex-shrink: 0; font-weight: 700; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .title { flex: 1; min-width: 0; display: flex; flex-direction: column; }
  .line { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; line-height: 19px; }
  .title .line + .line { font-size: 13px; line-height: 16px; font-weight: 400; }
  .stub { flex-shrink: 0; font-family: var(--font-mono); font-weight: 700; font-size: 14px; line-height: 17px; text-align: right; border: 1px solid var(--color-hair); border-radius: 2px; background: #fff; padding: 1px 7px; min-width: 3.4em; }
  .gap { position: absolute; left: 8px; right: 8px; height: 4px; border-radius: 2px; background: var(--color-lamp-500); pointer-events: none; }
  .entry { border-top: 1px solid var(--color-hair); padding: 10px 14px; display: flex; flex-wrap: wrap; gap: 8px 12px; background: #f3f5f1; }
  .entry label { font-size: 13px; font-weight: 700; display: flex; flex-direction: column; gap: 2px; }
  .entry .wide { flex: 1; min-width: 10em; }
  .short { width: 8em; }
  .does { flex-basis: 100%; display: flex; gap: 8px; align-items: center; }
  .does span { flex: 1; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .unused { padding: 6px 14px; font-size: 14px; border-bottom: 1px solid var(--color-hair); max-height: 9em; overflow: auto; }
  .unused ul { margin: 4px 0; padding-left: 18px; }
</style>
