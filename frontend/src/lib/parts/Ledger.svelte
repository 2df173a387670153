<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { DocumentSummary } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { remember, remembered } from '../bench/keys';
  import { called, doubts, gist, GROUPS, grouped, ORDERS, sorted, standing, STANDINGS, type Group, type Order, type Standing } from '../bench/ledger';
  import { view } from '../bench/view.svelte';

  /** The documents of a batch, of which only those in sight are drawn: a thousand are as quick as seven. */
  let { documents, picked = $bindable(), onremove, onarrange }: {
    documents: DocumentSummary[]; picked: number[]; onremove: (d: DocumentSummary) => void; onarrange: (order: number[]) => void;
  } = $props();

  const ROW = 84, HEAD = 34, BEYOND = 6 * ROW;
  let box = $state<HTMLDivElement>();
  let high = $state(600);
  let scroll = $state(0);
  let wanted = $state('');
  let only = $state<Standing | ''>('');
  let order = $state<Order>((remembered('ledger.order', 'come') as Order) in ORDERS ? (remembered('ledger.order', 'come') as Order) : 'come');
  let group = $state<Group>((remembered('ledger.group', 'none') as Group) in GROUPS ? (remembered('ledger.group', 'none') as Group) : 'none');
  let last = -1;

  const counts = $derived.by(() => {
    const found: Record<Standing, number> = { 'at work': 0, failed: 0, 'not read': 0, doubts: 0, ready: 0 };
    for (const d of documents) found[standing(d)]++;
    return found;
  });
  const spoken = (d: DocumentSummary) => (d.language ? about.languageName(d.language) : d.languages.map((l) => about.languageName(l)).join(', '));
  const groups = $derived(grouped(sorted(documents, wanted, only, order), group, spoken));
  const rows = $derived(groups.flatMap((g) => g.documents));
  const laid = $derived.by(() => {
    const found: { top: number; head?: string; count?: number; d?: DocumentSummary; at?: number }[] = [];
    let top = 0, at = 0;
    for (const g of groups) {
      if (g.name) {
        found.push({ top, head: g.name, count: g.documents.length });
        top += HEAD;
      }
      for (const d of g.documents) {
        found.push({ top, d, at: at++ });
        top += ROW;
      }
    }
    return { found, height: top };
  });
  const shown = $derived(laid.found.filter((each) => each.top > scroll - BEYOND - ROW && each.top < scroll + high + BEYOND));
  const chosen = $derived(new Set(picked));

  function choose(next: Standing | '') {
    only = only === next ? '' : next;
    box?.scrollTo({ top: 0 });
  }

  function pick(event: MouseEvent, at: number) {
    const id = rows[at]!.id;
    const on = !chosen.has(id);
    const range = event.shiftKey && last >= 0 ? rows.slice(Math.min(last, at), Math.max(last, at) + 1).map((d) => d.id) : [id];
    picked = on ? [...new Set([...picked, ...range])] : picked.filter((p) => !range.includes(p));
    last = at;
  }

  /** Alt and an arrow put a document before or behind its neighbour, where they stand as they came. */
  function onKey(event: KeyboardEvent, d: DocumentSummary) {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') || order !== 'come' || group !== 'none') return;
    event.preventDefault();
    const all = documents.map((each) => each.id), at = all.indexOf(d.id), to = at + (event.key === 'ArrowUp' ? -1 : 1);
    if (to < 0 || to >= all.length) return;
    [all[at], all[to]] = [all[to]!, all[at]!];
    onarrange(all);
  }
</script>

<div class="bar">
  <input type="search" bind:value={wanted} placeholder="Part of a name" aria-label="Documents whose name has" oninput={() => box?.scrollTo({ top: 0 })} />
  <div class="pills" role="group" aria-label="Documents that are">
    {#each STANDINGS as each (each)}
      {#if counts[each]}<button aria-pressed={only === each} onclick={() => choose(each)}>{each === 'doubts' ? 'with doubts' : each} <b>{counts[each]}</b></button>{/if}
    {/each}
  </div>
  <label>Order <select bind:value={order} onchange={() => remember('ledger.order', order)}>
    {#each Object.entries(ORDERS) as [key, name] (key)}<option value={key}>{name}</option>{/each}
  </select></label>
  <label>Group <select bind:value={group} onchange={() => { remember('ledger.group', group); box?.scrollTo({ top: 0 }); }}>
    {#each Object.entries(GROUPS) as [key, name] (key)}<option value={key}>{name}</option>{/each}
  </select></label>
</div>
<div bind:this={box} bind:clientHeight={high} class="box" onscroll={() => (scroll = box?.scrollTop ?? 0)} role="list" aria-label="Documents">
  <div class="rail" role="presentation" style:height="{laid.height}px">
    {#each shown as each (each.d ? each.d.id : `head ${each.head}`)}
      {#if each.head}
        <h2 class="head" role="presentation" style:top="{each.top}px">{each.head} <span class="text-quiet">{each.count}</span></h2>
      {:else if each.d}
        {@const d = each.d}
        {@const now = standing(d)}
        <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
        <div class="row" class:picked={chosen.has(d.id)} role="listitem" aria-setsize={rows.length} aria-posinset={each.at! + 1} data-document={d.id} style:top="{each.top}px" onkeydown={(e) => onKey(e, d)}>
          <input type="checkbox" checked={chosen.has(d.id)} aria-label="Pick {d.name}" onclick={(e) => pick(e, each.at!)} />
          <span class="leaf">{#if d.covers[0]}<img src="/api/blobs/{d.covers[0]}" alt="" loading="lazy" />{/if}</span>
          <span class="told">
            <button class="plain font-bold hover:underline" onclick={() => void view.goDocument(d.id)}>{d.name}</button>
            <span class="text-quiet line">{gist(d, spoken(d))}</span>
            {#if called(d)}<span class="line">{called(d)}</span>
            {:else if d.cautions.length || d.note}
              <span class="line" class:text-lamp-700={d.cautions.length} class:text-quiet={!d.cautions.length} title={[...d.cautions, d.note].filter(Boolean).join('; ')}>{[...d.cautions, d.note].filter(Boolean).join('; ')}</span>
            {/if}
          </span>
          <span class="more" aria-hidden="true">
            {#each d.covers.slice(1) as cover, at (at)}<img src="/api/blobs/{cover}" alt="" loading="lazy" />{/each}{#if d.pages > d.covers.length && d.covers.length > 1}<span>+{d.pages - d.covers.length}</span>{/if}
          </span>
          <span class="state">
            {#if now === 'at work'}at work…
            {:else if now === 'failed'}<b>{d.failed} failed</b>
            {:else if now === 'not read'}{d.unread.length === d.pages ? 'not read' : `${d.unread.length} of ${d.pages} not read`}
            {:else if now === 'doubts'}<span class="count">{doubts(d)}</span> doubts
            {:else}<span class="text-primary-700 font-bold">ready</span>{/if}
          </span>
          <Button size="xs" color="alternative" aria-label="Remove {d.name}" onclick={() => onremove(d)}>Remove</Button>
        </div>
      {/if}
    {/each}
  </div>
  {#if !rows.length}<p class="text-quiet p-8 text-center">No document is like that.</p>{/if}
</div>

<style>
  .bar { display: flex; gap: 14px; align-items: center; padding: 10px 20px; border-bottom: 1px solid var(--color-hair); flex-wrap: wrap; }
  .bar input, .bar select { border: 1px solid #7b8a86; border-radius: 6px; background-color: #fff; color: var(--color-ink); padding: 4px 10px; font-size: 15px; }
  .bar select { padding-right: 2rem; }
  .pills { display: flex; gap: 6px; flex: 1; flex-wrap: wrap; }
  .pills button { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; color: var(--color-ink); padding: 3px 10px; }
  .pills button[aria-pressed='true'] { background: var(--color-primary-800); border-color: var(--color-primary-800); color: var(--color-paper); }
  .box { flex: 1; min-height: 0; overflow-y: auto; position: relative; }
  .rail { position: relative; }
  .row { position: absolute; left: 0; right: 0; height: 84px; display: flex; align-items: center; gap: 16px; padding: 0 20px; border-bottom: 1px solid var(--color-hair); contain: strict; }
  .row.picked { background: var(--color-primary-50); box-shadow: inset 4px 0 0 var(--color-primary-600); }
  .row input { width: 20px; height: 20px; accent-color: var(--color-primary-600); flex-shrink: 0; }
  .head { position: absolute; left: 0; right: 0; height: 34px; margin: 0; padding: 7px 20px 0; font-size: 15px; font-weight: 700; background: #eef1ee; border-bottom: 1px solid var(--color-hair); }
  .leaf { width: 52px; height: 68px; display: grid; place-content: center; background: #e4e9e7; border-radius: 3px; flex-shrink: 0; overflow: hidden; }
  .leaf img { max-width: 52px; max-height: 68px; background: #fff; }
  .told { flex: 1; min-width: 0; display: flex; flex-direction: column; align-items: flex-start; }
  .told > * { max-width: 100%; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .line { font-size: 14px; line-height: 19px; }
  .more { display: flex; gap: 4px; align-items: center; flex-shrink: 0; color: var(--color-quiet); font-size: 14px; }
  .more img { max-width: 40px; max-height: 56px; background: #fff; outline: 1px solid var(--color-hair); }
  @media (max-width: 1150px) { .more { display: none; } }
  .state { width: 8.5em; flex-shrink: 0; }
</style>
