<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { beforePaint } from '../bench/later';
  import { notices } from '../bench/notices.svelte';
  import { selection } from '../bench/selection.svelte';
  
  const ITEM = 66;
  let strip = $state<HTMLDivElement>();
  let width = $state(800);
  let scroll = $state(0);
  const pages = $derived(desk.document?.pages ?? []);
  const labels = $derived(desk.document?.labels ?? []);
  const first = $derived(Math.max(0, Math.floor(scroll / ITEM) - 4));
  const last = $derived(Math.min(pages.length, Math.ceil((scroll + width) / ITEM) + 4));
  const shown = $derived(pages.slice(first, last));

  $effect(() => {
    const at = desk.pageIndex * ITEM;
    return beforePaint(() => {
      if (strip && (at < strip.scrollLeft + ITEM || at > strip.scrollLeft + strip.clientWidth - 2 * ITEM)) strip.scrollTo({ left: at - strip.clientWidth / 2 });
    });
  });

  /** To the page of a label, else of that number. */
  function jump(field: HTMLInputElement) {
    const wanted = field.value.trim();
    const at = labels.findIndex((l) => l.toLowerCase() === wanted.toLowerCase());
    const to = at >= 0 ? at : Number(wanted) - 1;
    if (Number.isInteger(to) && to >= 0 && to < pages.length) {
      field.blur();
      void view.goPage(to);
    } else {
      notices.notify(`There is no page “${wanted}”.`, 'refused');
      field.select();
    }
  }

  /** A plain click turns to the page; with Shift or Ctrl it picks pages for a treatment. */
  function go(event: MouseEvent, index: number) {
    const how = { shift: event.shiftKey, ctrl: event.ctrlKey || event.metaKey };
    if (how.shift || how.ctrl) {
      if (!selection.picked.length) selection.pick(desk.pages, desk.pageIndex, { shift: false, ctrl: false });
      selection.pick(desk.pages, index, how);
      return;
    }
    selection.pick(desk.pages, index, how);
    selection.picked = [];
    void view.goPage(index);
  }

  function onWheel(event: WheelEvent) {
    if (!strip || Math.abs(event.deltaX) > Math.abs(event.deltaY)) return;
    event.preventDefault();
    strip.scrollLeft += event.deltaY;
  }
</script>

<div class="ribbon">
  <div class="where"><span><input class="to" value={labels[desk.pageIndex] ?? desk.pageIndex + 1} aria-label="Go to the page with this label or number" title="Go to a page by its label or number" onfocus={(e) => e.currentTarget.select()} onblur={(e) => (e.currentTarget.value = labels[desk.pageIndex] ?? String(desk.pageIndex + 1))} onkeydown={(e) => { if (e.key === 'Enter') jump(e.currentTarget); }} /> of {pages.length}</span>
    <button class="all" title="All pages on a contact sheet (C)" onclick={() => (view.contact = true)}>All pages</button></div>
  <div bind:this={strip} bind:clientWidth={width} class="strip" onscroll={() => (scroll = strip?.scrollLeft ?? 0)} onwheel={onWheel} role="group" aria-label="Pages">
    <div style:width="{pages.length * ITEM}px" class="rail">
      {#each shown as p (p.id)}
        {@const here = p.position === desk.pageIndex}
        <button class="page" class:here class:picked={selection.picked.includes(p.id)} style:left="{p.position * ITEM}px" onclick={(e) => go(e, p.position)}
          aria-label="Page {p.position + 1}{p.doubts ? `, ${p.doubts} doubts` : ''}{p.task_state === 'failed' ? ', failed' : ''}" aria-current={here ? 'page' : undefined}>
          {#if p.thumb}<img src="/api/blobs/{p.thumb}" alt="" loading="lazy" />{:else}<span class="empty">{p.task_state === 'failed' ? '!' : '…'}</span>{/if}
          <span class="foot"><span>{labels[p.position] || p.position + 1}</span>{#if p.task_state === 'failed'}<b class="bad">!</b>{:else if p.doubts}<span class="mark">{p.doubts}</span>{/if}</span>
        </button>
      {/each}
    </div>
  </div>
  <div class="turn">
    <button aria-label="Previous page" title="Previous page (PgUp)" disabled={desk.pageIndex === 0} onclick={() => void view.turn(-1)}>◂</button>
    <button aria-label="Next page" title="Next page (PgDn)" disabled={desk.pageIndex >= pages.length - 1} onclick={() => void view.turn(1)}>▸</button>
  </div>
</div>

<style>
  .to { width: 3.4em; text-align: center; font-weight: 700; background: transparent; color: inherit; border: 1px solid transparent; border-bottom-color: #77918d; border-radius: 4px; padding: 0 2px; font-size: 14px; }
  .to:focus { background: #fff; color: var(--color-ink); }
  .ribbon { display: flex; height: 92px; background: var(--color-primary-900); color: var(--color-paper); flex-shrink: 0; }
  .where { width: 86px; display: grid; place-content: center; gap: 6px; text-align: center; font-size: 14px; }
  .all { border: 1px solid #77918d; border-radius: 6px; background: transparent; color: inherit; font-size: 13px; padding: 2px 7px; }
  .all:hover { background: var(--color-primary-700); }
  .page.picked { background: var(--color-primary-600); box-shadow: inset 0 -4px 0 var(--color-lamp-300); }
  .strip { flex: 1; overflow-x: auto; overflow-y: hidden; position: relative; scrollbar-width: thin; scrollbar-color: #458f86 #12312f; }
  .rail { position: relative; height: 82px; }
  .page { position: absolute; top: 5px; width: 58px; height: 76px; padding: 0; border: 0; border-radius: 4px; background: transparent; color: inherit; display: flex; flex-direction: column; align-items: center; }
  .page img { height: 56px; max-width: 54px; object-fit: contain; background: #fff; opacity: 0.85; border-radius: 2px; }
  .page.here img { opacity: 1; outline: 3px solid var(--color-lamp-500); }
  .empty { height: 56px; width: 42px; display: grid; place-items: center; border: 1px dashed #77918d; }
  .foot { display: flex; gap: 5px; align-items: center; font-size: 13px; line-height: 18px; }
  .here .foot { font-weight: 700; }
  .mark { background: var(--color-lamp-300); color: var(--color-lamp-900); border-radius: 8px; padding: 0 5px; font-size: 12px; line-height: 15px; font-weight: 700; }
  .bad { background: #fff; color: #a8320f; border-radius: 50%; width: 15px; line-height: 15px; text-align: center; font-size: 12px; }
  .turn { display: flex; flex-direction: column; width: 40px; }
  .turn button { flex: 1; border: 0; background: transparent; color: var(--color-paper); font-size: 18px; }
  .turn button:hover:not(:disabled) { background: var(--color-primary-700); }
  .turn button:disabled { color: #77918d; cursor: default; }
</style>
