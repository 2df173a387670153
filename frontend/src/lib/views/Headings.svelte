<script lang="ts">
  import { onMount, tick } from 'svelte';
  import { Spinner } from 'flowbite-svelte';
  import type { HeadingTold, Role } from '../api/client';
  import { checking } from '../bench/checking.svelte';
  import { headings } from '../bench/headings.svelte';
  import { history } from '../bench/history.svelte';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';
  import BookmarkList from '../parts/BookmarkList.svelte';

  /** The document's headings at one look: level, ink, why each is one; beside them its bookmarks. */
  const PAGE = 620, TALLEST = 70; // pixels: how wide a page would be at this scale, the same for all, so that sizes can be compared; the most of a heading's ink
  let board = $state<HTMLDivElement>();
  const skipped = $derived(headings.list.filter((h) => h.skips).length);

  onMount(() => void headings.load());
  $effect(() => {
    const at = headings.list.length ? headings.at : -1;
    void tick().then(() => {
      const row = board?.querySelector<HTMLElement>(`[data-at="${at}"]`);
      if (!row || document.activeElement?.closest('.marks, [role="dialog"], header')) return;
      row.focus({ preventScroll: true });
      row.scrollIntoView({ block: 'nearest' });
    });
  });

  function ink(h: HeadingTold) {
    if (!h.box || !h.size || !h.image) return '';
    const [l, t, r, b] = h.box;
    const k = Math.min(PAGE / h.size[0], TALLEST / (b - t));
    return `width:${(r - l) * k}px;height:${(b - t) * k}px;background-image:url(${h.image});background-size:${h.size[0] * k}px ${h.size[1] * k}px;background-position:${-l * k}px ${-t * k}px`;
  }

  const open = (h: HeadingTold) => {
    headings.close();
    void view.goBlock('tag', h.position, h.region_id);
  };

  function onKey(event: KeyboardEvent) {
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
    const key = event.key.toLowerCase();
    if (event.key === 'ArrowDown') headings.go(headings.at + 1, event.shiftKey);
    else if (event.key === 'ArrowUp') headings.go(headings.at - 1, event.shiftKey);
    else if (event.key === 'Home') headings.go(0, event.shiftKey);
    else if (event.key === 'End') headings.go(headings.list.length - 1, event.shiftKey);
    else if (plain && /^[1-6]$/.test(key)) void headings.make(`heading_${key}` as Role);
    else if (plain && key === 'p') void headings.make('paragraph');
    else if (plain && key === 'x') void headings.make('artifact');
    else if (plain && key === 'a') headings.alike();
    else if (event.altKey && event.key === 'ArrowRight') void headings.shift(1);
    else if (event.altKey && event.key === 'ArrowLeft') void headings.shift(-1);
    else if (event.key === 'Enter' && headings.here) open(headings.here);
    else if (event.ctrlKey && key === 'z') void history.turn(event.shiftKey ? 'redo' : 'undo').then(() => headings.load());
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function choose(event: MouseEvent, at: number) {
    if (event.shiftKey) headings.go(at, true);
    else if (event.ctrlKey || event.metaKey) headings.toggle(at);
    else headings.go(at);
  }
</script>

<section class="all" aria-label="Headings and bookmarks">
  <header>
    <h2>Headings <span>{counted(headings.list.length, 'heading')}{skipped ? `, ${skipped} skip a level` : ''}</span></h2>
    {#if headings.doing}<progress max={headings.doing.of} value={headings.doing.done} aria-label="Headings changed"></progress>{/if}
    <span class="tip"><span class="key">1</span>–<span class="key">6</span> level, <span class="key">Alt ←</span> <span class="key">Alt →</span> higher, deeper, <span class="key">P</span> paragraph, <span class="key">A</span> all set alike, <span class="key">Enter</span> on the sheet</span>
    {#if headings.list.length}
      <input class="name" value={checking.name} placeholder="your name" aria-label="Who judges" maxlength="80" onchange={(e) => checking.called(e.currentTarget.value)} onkeydown={(e) => e.stopPropagation()} />
      <button title="All headings say what follows, and nothing else is one: signed off with your name" onclick={() => void headings.sign(checking.name)}>Sign off</button>
    {/if}
    <button onclick={() => headings.close()}>Back to the sheet <span class="key">Esc</span></button>
  </header>
  <div class="both">
    <div class="board" bind:this={board} role="listbox" aria-label="Headings" aria-multiselectable="true" tabindex="-1">
      {#if !headings.list.length}<p class="none">{#if headings.loading}<Spinner size="5" />{:else}No headings were found. On the sheet, a number makes the block in hand one.{/if}</p>{/if}
      {#each headings.list as h, at (`${h.page_id}.${h.region_id}`)}
        <div class="row" role="option" aria-selected={at === headings.at || headings.also.has(at)} tabindex={at === headings.at ? 0 : -1} data-at={at}
          style:padding-left="{10 + (h.level - 1) * 26}px" onclick={(e) => choose(e, at)} ondblclick={() => open(h)} onkeydown={onKey}>
          <span class="sign" class:skips={h.skips} title={h.skips ? 'A level is skipped before it' : `Heading ${h.level}`}>H{h.level}</span>
          <span class="words">
            <span class="ink" style={ink(h)}></span>
            <span class="text"><bdi>{h.text}</bdi></span>
          </span>
          <span class="why">{h.reason}{h.skips ? `${h.reason ? '; ' : ''}a level is skipped before it` : ''}</span>
          <span class="page">{h.position + 1}</span>
        </div>
      {/each}
    </div>
    <BookmarkList />
  </div>
</section>

<style>
  .all { height: 100%; display: flex; flex-direction: column; background: var(--color-desk); }
  header { display: flex; align-items: center; gap: 14px; padding: 6px 14px; background: var(--color-paper); border-bottom: 1px solid var(--color-hair); font-size: 14px; }
  h2 { margin: 0; font-size: 17px; font-weight: 700; }
  h2 span { font-weight: 400; color: var(--color-quiet); font-size: 14px; margin-left: 8px; }
  .tip { color: var(--color-quiet); flex: 1; text-align: right; }
  .name { width: 9em; border: 1px solid #7b8a86; border-radius: 5px; padding: 1px 7px; font-size: 14px; background: #fff; }
  header button { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; padding: 2px 10px; font-size: 14px; }
  .both { flex: 1; min-height: 0; display: grid; grid-template-columns: minmax(0, 1fr) 22rem; }
  .board { overflow: auto; padding: 10px 12px 40px; }
  .row { display: flex; align-items: center; gap: 10px; background: #fffdf7; border: 1px solid var(--color-hair); border-bottom-width: 0; padding: 4px 10px; cursor: default; content-visibility: auto; contain-intrinsic-size: auto 56px; }
  .row:last-child { border-bottom-width: 1px; }
  .row[aria-selected='true'] { background: var(--color-lamp-100); }
  .row:focus-visible { outline: 3px solid var(--color-lamp-500); outline-offset: -3px; }
  .sign { flex: 0 0 30px; text-align: center; font-weight: 700; font-size: 13px; border: 1px solid var(--color-hair); border-radius: 4px; background: #fff; color: var(--color-primary-800); }
  .sign.skips { border: 2px dashed #b4610b; }
  .words { flex: 1; min-width: 0; display: flex; flex-direction: column; gap: 1px; }
  .ink { display: block; background-repeat: no-repeat; background-color: #fff; max-width: 100%; }
  .text { font-size: 14px; font-weight: 700; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .why { flex: 0 0 13em; color: var(--color-quiet); font-size: 13px; }
  .page { flex: 0 0 2.5em; text-align: right; color: var(--color-quiet); font-size: 13px; font-variant-numeric: tabular-nums; }
  .none { text-align: center; color: var(--color-quiet); padding: 40px; }
</style>
