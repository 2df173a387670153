<script lang="ts">
  import { onMount } from 'svelte';
  import { Button } from 'flowbite-svelte';
  import { api, type BatchSummary, type DocumentSummary } from '../api/client';
  import { bundle } from '../bench/bundle.svelte';
  import { remember, remembered } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { counted } from '../bench/words';

  /** What can be put in: the documents of all batches, those that are in already marked. */
  const ROW = 54, BEYOND = 10 * ROW;
  let batches = $state.raw<BatchSummary[]>([]);
  let documents = $state.raw<DocumentSummary[]>([]);
  let which = $state(Number(remembered('shelf', '0')));
  let wanted = $state('');
  let picked = $state.raw<number[]>([]);
  let box = $state<HTMLDivElement>();
  let high = $state(500);
  let scroll = $state(0);
  let last = -1;

  onMount(() => void notices.attempt(async () => {
    batches = await api.batches();
    if (!batches.some((b) => b.id === which)) which = batches[0]?.id ?? 0;
    await load();
  }));

  async function load() {
    picked = [];
    last = -1;
    if (!which) return;
    remember('shelf', String(which));
    const mine = which;
    const told = await api.batch(mine);
    if (mine === which) documents = told.documents;
  }

  const inside = $derived(new Set(bundle.entries.map((e) => e.document)));
  const rows = $derived.by(() => {
    const needle = wanted.trim().toLocaleLowerCase();
    return documents.filter((d) => !needle || d.name.toLocaleLowerCase().includes(needle) || d.title.toLocaleLowerCase().includes(needle));
  });
  const first = $derived(Math.max(0, Math.floor((scroll - BEYOND) / ROW)));
  const shown = $derived(rows.slice(first, Math.ceil((scroll + high + BEYOND) / ROW)).map((d, i) => ({ d, at: first + i })));
  const free = $derived(rows.filter((d) => !inside.has(d.id)));

  function pick(event: MouseEvent, at: number) {
    const on = !picked.includes(rows[at]!.id);
    const range = event.shiftKey && last >= 0 ? rows.slice(Math.min(last, at), Math.max(last, at) + 1) : [rows[at]!];
    const ids = range.filter((d) => !inside.has(d.id)).map((d) => d.id);
    picked = on ? [...new Set([...picked, ...ids])] : picked.filter((p) => !ids.includes(p));
    last = at;
  }

  async function put(ids: number[]) {
    const order = rows.map((d) => d.id).filter((id) => ids.includes(id));
    if (await bundle.putIn(order)) picked = [];
  }

  function drag(event: DragEvent, d: DocumentSummary) {
    const ids = picked.includes(d.id) ? rows.map((r) => r.id).filter((id) => picked.includes(id)) : [d.id];
    event.dataTransfer?.setData('application/x-hyalen-documents', JSON.stringify(ids));
    event.dataTransfer?.setData('text/plain', d.title);
  }
</script>

<div class="shelf">
  {#if bundle.late}
    <p class="late" role="status">What you put in now lies behind page <b>{bundle.late.label}</b>, as late pages. <button class="plain underline" onclick={() => (bundle.late = null)}>No, at the end</button></p>
  {/if}
  <div class="bar">
    <label class="sr" for="shelf-batch">Batch</label>
    <select id="shelf-batch" bind:value={which} onchange={() => void notices.attempt(load)}>
      {#each batches as b (b.id)}<option value={b.id}>{b.name} ({b.documents})</option>{/each}
    </select>
    <input type="search" bind:value={wanted} placeholder="Part of a name or title" aria-label="Documents on the shelf whose name has" />
    <Button size="sm" disabled={!picked.length} onclick={() => void put(picked)}>Put in{picked.length ? ` ${picked.length}` : ''}</Button>
    <Button size="sm" color="alternative" disabled={!free.length} onclick={() => void put(free.map((d) => d.id))}>Put in all</Button>
  </div>
  {#if !batches.length}<p class="text-quiet p-8 text-center">There is no batch yet: documents are brought in on the trolley first.</p>{/if}
  <div bind:this={box} bind:clientHeight={high} class="box" role="list" aria-label="Documents on the shelf" onscroll={() => (scroll = box?.scrollTop ?? 0)}>
    <div class="rail" role="presentation" style:height="{rows.length * ROW}px">
      {#each shown as { d, at } (d.id)}
        {@const there = inside.has(d.id)}
        <div class="row" class:there role="listitem" data-document={d.id} draggable={!there} style:top="{at * ROW}px" ondragstart={(e) => drag(e, d)}>
          <input type="checkbox" disabled={there} checked={picked.includes(d.id)} aria-label="Pick {d.title || d.name}" onclick={(e) => pick(e, at)} />
          <span class="leaf">{#if d.covers[0]}<img src="/api/blobs/{d.covers[0]}" alt="" loading="lazy" />{/if}</span>
          <span class="told"><span class="line font-bold">{d.title || d.name}</span><span class="line text-quiet small">{d.name}, {counted(d.pages, 'page')}{d.unread.length ? `, ${d.unread.length} not read` : ''}</span></span>
          {#if there}<span class="text-quiet">in the bundle</span>{:else}<Button size="xs" color="alternative" aria-label="Put in {d.title || d.name}" onclick={() => void put([d.id])}>Put in</Button>{/if}
        </div>
      {/each}
    </div>
  </div>
</div>

<style>
  .shelf { height: 100%; display: flex; flex-direction: column; }
  .late { margin: 0; padding: 8px 16px; background: var(--color-lamp-100); color: var(--color-lamp-900); }
  .bar { display: flex; gap: 8px; padding: 10px 14px; flex-wrap: wrap; }
  .bar select, .bar input { border: 1px solid #7b8a86; border-radius: 6px; background-color: #fff; padding: 4px 10px; font-size: 15px; color: var(--color-ink); min-width: 0; }
  .bar select { padding-right: 2rem; max-width: 16em; }
  .bar input { flex: 1; min-width: 9em; }
  .bar input::placeholder { color: var(--color-quiet); opacity: 1; }
  .box { flex: 1; min-height: 0; overflow-y: auto; background: var(--color-paper); border-top: 1px solid var(--color-hair); }
  .rail { position: relative; }
  .row { position: absolute; left: 0; right: 0; height: 54px; display: flex; align-items: center; gap: 12px; padding: 0 14px; border-bottom: 1px solid #dfe4e1; contain: strict; cursor: grab; }
  .row.there { cursor: default; background: #f0f2ee; }
  .row input { width: 20px; height: 20px; accent-color: var(--color-primary-600); flex-shrink: 0; }
  .leaf { width: 32px; height: 44px; display: grid; place-content: center; background: #e4e9e7; flex-shrink: 0; overflow: hidden; }
  .leaf img { max-width: 32px; max-height: 44px; }
  .told { flex: 1; min-width: 0; display: flex; flex-direction: column; }
  .line { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; line-height: 19px; }
  .small { font-size: 13px; }
</style>
