<script lang="ts">
  import { Spinner } from 'flowbite-svelte';
  import type { FoundPlace, Way } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { ROLES } from '../bench/roles';
  import { desk } from '../bench/desk.svelte';
  import { finding, type Where } from '../bench/finding.svelte';

  let field = $state<HTMLInputElement>();
  const HEIGHT = 30; // pixels of a slip's ink
  const AROUND = 14; // pixels of the page
  const ways: [Way, string][] = [['part', 'anywhere'], ['words', 'whole words'], ['start', 'beginnings'], ['pattern', 'pattern']];
  const places: [Where, string][] = [['document', 'this document'], ['batch', 'this batch'], ['all', 'all batches']];

  $effect(() => {
    if (finding.open) field?.focus();
  });

  /** The ink of a place: its first line's words, as high as a slip. */
  function ink(hit: FoundPlace) {
    const first = hit.boxes[0];
    if (!first || !hit.size) return null;
    const row = hit.boxes.filter((b) => Math.min(b[3], first[3]) - Math.max(b[1], first[1]) > 0.4 * (first[3] - first[1]));
    const [l, t] = [Math.min(...row.map((b) => b[0])) - AROUND * 4, Math.min(...row.map((b) => b[1])) - AROUND];
    const [r, b] = [Math.max(...row.map((x) => x[2])) + AROUND * 4, Math.max(...row.map((x) => x[3])) + AROUND];
    const k = HEIGHT / (b - t);
    return `width:${Math.min(300, (r - l) * k)}px;background-image:url(${hit.image});background-size:${hit.size[0] * k}px ${hit.size[1] * k}px;background-position:${-l * k}px ${-t * k}px`;
  }

  function onKey(event: KeyboardEvent) {
    if (event.key === 'Escape') finding.close();
    else if (event.key === 'Enter' && event.altKey && finding.by) void finding.replace();
    else if (event.key === 'Enter') void finding.step(event.shiftKey ? -1 : 1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="finder" role="dialog" aria-label="Find and replace" tabindex="-1" onkeydown={onKey}>
  <div class="head">
    <label>Find <input bind:this={field} bind:value={finding.text} oninput={() => finding.soon()} spellcheck="false" /></label>
    <button aria-label="Previous place" title="Shift Enter" disabled={!finding.hits.length} onclick={() => void finding.step(-1)}>↑</button>
    <button aria-label="Next place" title="Enter" disabled={!finding.hits.length} onclick={() => void finding.step(1)}>↓</button>
    <button class="close" aria-label="Close (Esc)" onclick={() => finding.close()}>✕</button>
  </div>
  <div class="how">
    <label>as <select aria-label="as" bind:value={finding.way} onchange={() => void finding.look()}>{#each ways as [id, name] (id)}<option value={id}>{name}</option>{/each}</select></label>
    <label>in <select bind:value={finding.where} onchange={() => void finding.look()}>{#each places as [id, name] (id)}<option value={id} disabled={id === 'document' && !desk.document}>{name}</option>{/each}</select></label>
    <label>blocks <select aria-label="blocks" bind:value={finding.role} onchange={() => void finding.look()}><option value="">of any role</option>{#each ROLES as r (r.role)}<option value={r.role}>{r.name}</option>{/each}</select></label>
    {#if (desk.document?.languages.length ?? 0) !== 1 && about.languages.length}
      <label>language <select aria-label="language" bind:value={finding.language} onchange={() => void finding.look()}><option value="">any</option>{#each about.languages as l (l.code)}<option value={l.code}>{l.name}</option>{/each}</select></label>
    {/if}
    <label><input type="checkbox" bind:checked={finding.exact} onchange={() => void finding.look()} /> accents and case</label>
  </div>
  {#if desk.document && finding.where === 'document'}
    <div class="head">
      <label>Put <input bind:value={finding.by} spellcheck="false" /></label>
      <button disabled={finding.at < 0 || !!finding.doing} onclick={() => { const hit = finding.hits[finding.at]; if (hit) void finding.replace(hit); }}>Here</button>
      <button title="In all places that are ticked (Alt Enter)" disabled={!finding.total || !!finding.doing} onclick={() => void finding.replace()}>{finding.by ? 'In' : 'Take away'} {finding.left.size ? finding.hits.length - finding.left.size : `all ${finding.total}`}</button>
      <button title="Take these words out of all that is delivered, in the places that are ticked; the scan keeps them" disabled={!finding.total || !!finding.doing} onclick={() => void finding.replace(undefined, true)}>Redact</button>
    </div>
  {/if}
  <p class="told" role="status">
    {#if finding.doing}<progress max={finding.doing.of} value={finding.doing.done}></progress> page {finding.doing.done} of {finding.doing.of} <button onclick={() => finding.stop()}>Stop</button>
    {:else if finding.refused}{finding.refused}
    {:else if finding.asked}{finding.total === 0 ? 'It stands nowhere here.' : `${finding.total.toLocaleString()} ${finding.total === 1 ? 'place' : 'places'}${finding.at >= 0 ? `, at ${finding.at + 1}` : ''}`}
    {:else}Type what you look for.{/if}
  </p>
  <ol>
    {#each finding.hits as hit, i (`${hit.passage}.${hit.start}`)}
      {@const drawn = ink(hit)}
      <li class:here={i === finding.at}>
        {#if desk.document && finding.where === 'document'}<input type="checkbox" checked={finding.isChosen(hit)} aria-label="Replace here" onchange={() => finding.toggle(hit)} />{/if}
        <button onclick={() => void finding.go(i)}>
          {#if drawn}<span class="ink" style={drawn}></span>{/if}
          <span class="text"><bdi>{hit.before}<mark>{hit.found}</mark>{hit.after}</bdi></span>
          <span class="where">{finding.where === 'document' ? '' : `${hit.document_name}, `}p. {hit.position + 1}</span>
        </button>
      </li>
    {/each}
    {#if finding.total > finding.hits.length}<li><button onclick={() => void finding.more()}>{(finding.total - finding.hits.length).toLocaleString()} more…</button></li>{/if}
  </ol>
  {#if finding.doing}<Spinner size="4" />{/if}
</div>

<style>
  .finder { position: fixed; z-index: 30; top: 62px; right: 10px; width: 25rem; max-height: calc(100vh - 80px); display: flex; flex-direction: column; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 8px; box-shadow: 0 8px 30px #0005; }
  .head, .how { display: flex; align-items: center; gap: 6px; padding: 8px 10px 0; font-size: 14px; }
  .head label { flex: 1; display: flex; align-items: center; gap: 6px; font-weight: 700; min-width: 0; }
  .head label input { flex: 1; min-width: 0; padding: 3px 8px; border: 1px solid #7b8a86; border-radius: 5px; background: #fff; font-weight: 400; }
  .how { flex-wrap: wrap; }
  .how label { display: flex; align-items: center; gap: 4px; }
  .how select { padding: 1px 24px 1px 6px; font-size: 14px; border-radius: 5px; }
  .head button, .told button { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; padding: 3px 9px; font-size: 14px; white-space: nowrap; }
  .head button:disabled { color: #6d7c78; }
  .head .close { border: 0; background: transparent; }
  .told { margin: 0; padding: 6px 10px; font-size: 14px; display: flex; align-items: center; gap: 8px; border-bottom: 1px solid var(--color-hair); }
  ol { margin: 0; padding: 0; list-style: none; overflow: auto; }
  li { display: flex; align-items: center; gap: 6px; padding: 2px 8px; border-bottom: 1px solid #e2e6e2; content-visibility: auto; contain-intrinsic-size: auto 66px; }
  li.here { background: var(--color-lamp-100); }
  li button { flex: 1; min-width: 0; border: 0; background: transparent; text-align: start; padding: 3px 2px; display: grid; grid-template-columns: minmax(0, 1fr) auto; gap: 1px 8px; font-size: 14px; color: var(--color-ink); }
  .ink { grid-column: 1 / -1; display: block; height: 30px; max-width: 100%; background-repeat: no-repeat; background-color: #fff; border-radius: 3px; }
  .text { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .where { color: var(--color-quiet); white-space: nowrap; }
  mark { background: var(--color-lamp-300); color: var(--color-ink); }
</style>
