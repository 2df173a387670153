<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { scanning } from '../bench/scanning.svelte';
  import { counted } from '../bench/words';
  import { notices } from '../bench/notices.svelte';
  import { Button } from 'flowbite-svelte';
  import { api, AUTOMATIC } from '../api/client';
    import { typing } from '../bench/keys';

  const GAP = 14;
  const MIN = 132;
  let board = $state<HTMLDivElement>();
  let width = $state(900);
  let height = $state(600);
  let scroll = $state(0);
  let over = $state<number | null>(null);
  let focused = $state(0);
  const pages = $derived(desk.document?.pages ?? []);
  const columns = $derived(Math.max(1, Math.floor((width - GAP) / (MIN + GAP))));
  const cell = $derived((width - GAP * (columns + 1)) / columns);
  const row = $derived(cell * 1.32 + 30 + GAP);
  const first = $derived(Math.max(0, Math.floor(scroll / row) - 1) * columns);
  const last = $derived(Math.min(pages.length, (Math.ceil((scroll + height) / row) + 1) * columns));
  const shown = $derived(pages.slice(first, last));
  const removed = $derived(desk.document?.removed ?? []);
  const picked = $derived(new Set(selection.picked));
  const chosen = $derived(selection.picked.length ? pages.filter((p) => picked.has(p.id)).map((p) => p.id) : []);

  function onClick(event: MouseEvent, index: number) {
    focused = index;
    selection.pick(desk.pages, index, { shift: event.shiftKey, ctrl: event.ctrlKey || event.metaKey });
  }

  function open(index: number) {
    view.contact = false;
    void view.goPage(index);
  }

  async function turn(degrees: 90 | 180 | 270) {
    if (!chosen.length) return;
    await notices.attempt(async () => { await desk.change((id, revision) => api.turnPages(id, revision, chosen, degrees)); notices.notify(`${count(chosen.length)} turned`); await desk.refresh(); });
  }

  const count = (n: number) => `${n} ${n === 1 ? 'page' : 'pages'}`;

  async function remove() {
    const gone = chosen;
    if (!gone.length) return;
    if (await view.rearranged(() => desk.change((id, revision) => api.removePages(id, revision, gone)))) notices.notify(`${count(gone.length)} taken out; they lie at the foot of this sheet`);
  }

  async function restore(ids: number[]) {
    await view.rearranged(() => desk.change((id, revision) => api.restorePages(id, revision, ids)), ids);
  }

  /** Put the picked pages before the page at `to`. */
  async function moveTo(to: number) {
    if (!chosen.length) return;
    const order = pages.map((p) => p.id);
    const target = order.slice(to).find((p) => !picked.has(p));
    const rest = order.filter((p) => !picked.has(p));
    const at = target === undefined ? rest.length : rest.indexOf(target);
    const next = [...rest.slice(0, at), ...chosen, ...rest.slice(at)];
    if (next.every((p, i) => p === order[i])) return;
    await view.rearranged(() => desk.change((id, revision) => api.order(id, revision, next)));
  }

  async function margins(even: boolean) {
    await notices.attempt(async () => {
      const whose = chosen.length ? chosen : pages.map((p) => p.id);
      const told = await desk.change((id, revision) => api.evenMargins(id, revision, whose, even));
      notices.notify(told.tasks ? `Margins of ${count(told.tasks)} ${even ? 'evened' : 'left as they are'}` : 'The margins are so already');
      await desk.refresh();
    });
  }

  async function reset() {
    const page = chosen[0];
    if (page === undefined) return;
    await notices.attempt(async () => { await desk.change((_, revision) => api.treat(page, revision, AUTOMATIC, 'selection', chosen)); notices.notify(`${count(chosen.length)} back to automatic`); await desk.refresh(); });
  }

  async function duplex(on: boolean) {
    await notices.attempt(async () => { await desk.change((id, revision) => api.changeDocument(id, { revision, duplex: on })); await desk.refresh(); });
  }

  const others = $derived((desk.batch?.documents ?? []).filter((d) => d.id !== desk.document?.id));

  async function split() {
    const at = chosen;
    await notices.attempt(async () => {
      await desk.change(async (id, revision) => ({ batch: await api.splitDocument(id, revision, at), revision: null }));
      selection.picked = [];
      await desk.refresh();
      notices.notify(`${counted(at.length, 'document')} begun; they stand behind this one in the batch`);
    });
  }

  async function moveOut(to: number) {
    const gone = chosen, name = others.find((d) => d.id === to)?.name;
    await notices.attempt(async () => {
      await desk.change(async (id, revision) => ({ batch: await api.movePages(id, revision, gone, to), revision: null }));
      selection.picked = [];
      await desk.refresh();
      notices.notify(`${count(gone.length)} moved to the end of ${name}`);
    });
  }

  /** Sheets from the scanner go behind the picked page, or one in its place. */
  function scan(kind: 'after' | 'instead') {
    const page = chosen[0], document = desk.document;
    if (page === undefined || !document) return;
    const at = pages.findIndex((p) => p.id === page) + 1;
    scanning.aim = { kind, page, says: `${kind === 'after' ? 'behind' : 'in the place of'} page ${at} of ${document.title}` };
    void view.goBatch(document.batch_id, 'scan');
  }

  function onDragStart(event: DragEvent, index: number) {
    if (!picked.has(pages[index]!.id)) selection.pick(desk.pages, index, { shift: false, ctrl: false });
    event.dataTransfer?.setData('text/plain', String(index));
    if (event.dataTransfer) event.dataTransfer.effectAllowed = 'move';
  }

  function focusAt(index: number) {
    focused = Math.min(Math.max(0, index), pages.length - 1);
    const top = Math.floor(focused / columns) * row;
    if (board && (top < board.scrollTop || top + row > board.scrollTop + height)) board.scrollTop = Math.max(0, top - height / 3);
    requestAnimationFrame(() => board?.querySelector<HTMLElement>(`[data-at="${focused}"]`)?.focus());
  }

  function onKey(event: KeyboardEvent) {
    if (typing(event) || ((event.key === 'Enter' || event.key === ' ') && (event.target as HTMLElement).closest('button'))) return;
    const ctrl = event.ctrlKey || event.metaKey;
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -columns, ArrowDown: columns }[event.key];
    if (event.altKey && (event.key === 'ArrowLeft' || event.key === 'ArrowRight') && chosen.length) {
      const at = pages.map((p, i) => (picked.has(p.id) ? i : -1)).filter((i) => i >= 0);
      void moveTo(event.key === 'ArrowLeft' ? Math.max(0, at[0]! - 1) : at.at(-1)! + 2);
    } else if (by !== undefined) {
      focusAt(focused + by);
      if (event.shiftKey) selection.pick(desk.pages, focused, { shift: true, ctrl: false });
    } else if (event.key === ' ') selection.pick(desk.pages, focused, { shift: event.shiftKey, ctrl: true });
    else if (ctrl && event.key.toLowerCase() === 'a') selection.picked = pages.map((p) => p.id);
    else if (event.key === 'Enter') open(focused);
    else if (event.key === 'Delete') void remove();
    else if (event.key === 'Escape') { if (selection.picked.length) selection.picked = []; else view.contact = false; }
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svelte:window onkeydown={onKey} />

<section class="contact" aria-label="Contact sheet">
  <header>
    <b>{pages.length} pages{chosen.length ? `, ${chosen.length} picked` : ''}</b>
    <div class="acts" role="group" aria-label="Picked pages">
      <button disabled={!chosen.length} onclick={() => void turn(270)}>⟲ Turn left</button>
      <button disabled={!chosen.length} onclick={() => void turn(90)}>⟳ Turn right</button>
      <button disabled={!chosen.length} onclick={() => void turn(180)}>Upside down</button>
      <button disabled={!chosen.length || chosen.length === pages.length} title="Delete" onclick={() => void remove()}>Take out</button>
      <button disabled={!chosen.length} onclick={() => void reset()}>Back to automatic</button>
    </div>
    <div class="acts" role="group" aria-label="Margins"><button onclick={() => void margins(true)}>Even margins</button><button onclick={() => void margins(false)}>Own margins</button></div>
    <div class="acts" role="group" aria-label="Other documents">
      <button disabled={!chosen.length || chosen.includes(pages[0]?.id ?? 0)} title="A document begins at each picked page" onclick={() => void split()}>Begin a document here</button>
      {#if others.length}
        <select aria-label="Move the picked pages to" disabled={!chosen.length || chosen.length === pages.length} value="" onchange={(e) => { const to = Number(e.currentTarget.value); e.currentTarget.value = ''; void moveOut(to); }}>
          <option value="">Move to…</option>
          {#each others as d (d.id)}<option value={String(d.id)}>{d.name}</option>{/each}
        </select>
      {/if}
    </div>
    <div class="acts" role="group" aria-label="From the scanner">
      <button disabled={chosen.length !== 1} onclick={() => scan('after')}>Scan in behind it</button>
      <button disabled={chosen.length !== 1} onclick={() => scan('instead')}>Scan it again</button>
    </div>
    <label><input type="checkbox" checked={desk.document?.duplex ?? false} onchange={(e) => void duplex(e.currentTarget.checked)} /> both sides scanned in turn</label>
    <span class="grow"></span>
    <Button size="xs" onclick={() => (view.contact = false)}>Back to the sheet</Button>
  </header>
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div bind:this={board} bind:clientWidth={width} bind:clientHeight={height} class="desk" role="listbox" aria-label="Pages" aria-multiselectable="true" tabindex="-1" onscroll={() => (scroll = board?.scrollTop ?? 0)}>
    <div class="field" style:height="{Math.ceil(pages.length / columns) * row + GAP}px">
      {#each shown as p, i (p.id)}
        {@const at = first + i}
        <div class="page" class:picked={picked.has(p.id)} class:over={over === at} role="option" aria-selected={picked.has(p.id)} tabindex={at === focused ? 0 : -1} data-at={at} draggable="true"
          style:left="{GAP + (at % columns) * (cell + GAP)}px" style:top="{GAP + Math.floor(at / columns) * row}px" style:width="{cell}px" style:height="{row - GAP}px"
          aria-label="Page {at + 1}{p.doubts ? `, ${p.doubts} doubts` : ''}{p.half !== 'whole' ? `, ${p.half} half of a spread` : ''}"
          onclick={(e) => onClick(e, at)} ondblclick={() => open(at)} onkeydown={() => undefined} onfocus={() => (focused = at)}
          ondragstart={(e) => onDragStart(e, at)} ondragover={(e) => { e.preventDefault(); over = at; }} ondragleave={() => over === at && (over = null)}
          ondrop={(e) => { e.preventDefault(); over = null; void moveTo(at); }}>
          <div class="pic">{#if p.thumb}<img src="/api/blobs/{p.thumb}" alt="" draggable="false" loading="lazy" />{:else}<span>…</span>{/if}</div>
          <div class="foot"><b>{at + 1}</b>{#if p.half !== 'whole'}<span title="{p.half} half of a spread">{p.half === 'left' ? '◧' : '◨'}</span>{/if}{#if p.task_state === 'running' || p.task_state === 'waiting'}<span class="text-quiet">at work</span>{:else if p.task_state === 'failed'}<span>failed</span>{:else if p.doubts}<span class="count">{p.doubts}</span>{/if}</div>
        </div>
      {/each}
    </div>
    {#if removed.length}
      <div class="removed">
        <div class="flex items-center gap-3"><h3 class="m-0 text-base font-bold">Taken out</h3><button class="act" onclick={() => void restore(removed.map((r) => r.id))}>Put all back</button></div>
        <div class="strip">
          {#each removed as r (r.id)}
            <button class="gone" onclick={() => void restore([r.id])} title="Put back where it stood" aria-label="Put back what was page {r.position + 1}">
              {#if r.thumb}<img src="/api/blobs/{r.thumb}" alt="" />{/if}<span>was {r.position + 1}</span>
            </button>
          {/each}
        </div>
      </div>
    {/if}
  </div>
</section>

<style>
  .contact { display: flex; flex-direction: column; height: 100%; min-height: 0; background: var(--color-desk); }
  header { display: flex; flex-wrap: wrap; gap: 6px 12px; align-items: center; padding: 8px 14px; background: var(--color-paper); border-bottom: 1px solid var(--color-hair); font-size: 14px; }
  .grow { flex: 1; }
  .acts { display: inline-flex; border: 1px solid #7b8a86; border-radius: 6px; overflow: hidden; background: #fff; }
  .acts button, .act { border: 0; background: #fff; padding: 3px 10px; font-size: 14px; color: var(--color-ink); }
  .act { border: 1px solid #7b8a86; border-radius: 6px; }
  .acts select { border: 0; border-left: 1px solid var(--color-hair); background-color: #fff; color: var(--color-ink); font-size: 14px; padding: 3px 26px 3px 10px; max-width: 11em; }
  .acts select:disabled { color: #66736f; }
  .acts button + button { border-left: 1px solid var(--color-hair); }
  .acts button:disabled { color: #66736f; cursor: default; }
  .acts button:hover:not(:disabled), .act:hover { background: var(--color-primary-50); }
  label { display: flex; gap: 6px; align-items: center; }
  input { accent-color: var(--color-primary-600); }
  .desk { flex: 1; min-height: 0; overflow: auto; position: relative; outline: none; }
  .field { position: relative; }
  .page { position: absolute; display: flex; flex-direction: column; border-radius: 6px; padding: 6px 6px 2px; cursor: default; border: 2px solid transparent; }
  .page.picked { background: #fff; border-color: var(--color-primary-700); }
  .page.picked .foot b::before { content: '✓ '; }
  .page.over { box-shadow: -5px 0 0 var(--color-lamp-500); }
  .pic { flex: 1; min-height: 0; display: grid; place-items: center; }
  .pic img { max-width: 100%; max-height: 100%; min-height: 0; object-fit: contain; box-shadow: 0 1px 4px #0005; background: #fff; }
  .foot { display: flex; gap: 8px; justify-content: center; align-items: center; font-size: 13px; line-height: 24px; }
  .removed { margin: 6px 14px 14px; padding: 10px 14px; border: 1px dashed #7b8a86; border-radius: 8px; background: #e9edea; }
  .strip { display: flex; flex-wrap: wrap; gap: 10px; padding-top: 8px; }
  .gone { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; padding: 5px; display: flex; flex-direction: column; align-items: center; font-size: 13px; }
  .gone img { height: 76px; opacity: 0.55; }
</style>
