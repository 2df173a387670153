<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { findRegion, wordAt } from '../bench/content';
  import { selection } from '../bench/selection.svelte';
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { about } from '../bench/about.svelte';
  import { edits } from '../bench/edits.svelte';
  import { listening } from '../bench/listening.svelte';
  import CheckPanel from './CheckPanel.svelte';
  import { look } from '../bench/roles';
  import { api, type FlowItem, type FlowPart } from '../api/client';
  
  let flow = $state<FlowItem[]>([]);
  let following = $state<number | null>(0);
  let foot = $state<HTMLElement>();
  let loading = false;
  const d = $derived(desk.document);
  const edition = $derived(d ? `${d.id}:${d.revision}:${d.pages.map((p) => p.revision).join(',')}` : '');
  let shown = '';

  let known: { document: number; revision: number; pages: Map<number, number> } | null = null;

  // A changed document is put together anew, as far as it was read; where one page has changed, around that one only.
  $effect(() => {
    if (edition) untrack(() => {
      const now = { document: d!.id, revision: d!.revision, pages: new Map(d!.pages.map((p) => [p.id, p.revision])) };
      const same = known?.document === now.document && known.revision === now.revision && known.pages.size === now.pages.size;
      const changed = d!.pages.flatMap((p, at) => (known?.pages.get(p.id) === p.revision ? [] : [at]));
      known = now;
      if (!same || changed.length !== 1) void load(d!.id, true);
      else {
        shown = edition;
        void patch(d!.id, changed[0]!);
      }
    });
  });

  /** The blocks that begin on a page or beside it anew. */
  async function patch(id: number, at: number) {
    const mine = edition, first = Math.max(0, at - 1);
    await notices.attempt(async () => {
      const part = await api.flow(id, first, at - first + 2);
      if (shown !== mine) return;
      const outside = (item: FlowItem) => item.page - 1 < first || item.page - 1 > at + 1;
      flow = [...flow.filter((x) => x.page - 1 < first), ...part.items.filter((x) => !outside(x) && (following === null || x.page - 1 < following)), ...flow.filter((x) => x.page - 1 > at + 1)];
    });
  }

  // The next pages come as one scrolls.
  $effect(() => {
    if (!foot) return;
    const near = new IntersectionObserver((seen) => seen.some((x) => x.isIntersecting) && d && void load(d.id, false), { rootMargin: '1200px' });
    near.observe(foot);
    return () => near.disconnect();
  });

  async function load(id: number, anew: boolean) {
    const mine = edition;
    if (anew) shown = mine;
    else if (loading || following === null) return;
    loading = true;
    await notices.attempt(async () => {
      const reach = anew ? (following ?? Infinity) : 0;
      let found = anew ? [] : flow;
      let next: number | null = anew ? 0 : following;
      do {
        const part: FlowPart = await api.flow(id, next ?? 0);
        if (shown !== mine || desk.document?.id !== id) return;
        found = [...found, ...part.items];
        next = part.following;
      } while (anew && next !== null && next < reach && reach !== Infinity);
      flow = found;
      following = next;
    });
    loading = false;
    // A short part may leave the foot in sight, where nothing more would be seen to come.
    if (following !== null && foot && foot.getBoundingClientRect().top < window.innerHeight + 1200) void load(id, false);
  }

  const pictures = new Set(['figure', 'formula']);
  const tag = (role: string) => (role.startsWith('heading_') ? `h${role.slice(-1)}` : 'p');
  const go = (item: FlowItem) => void view.goBlock('tag', item.page - 1, item.region_id);

  // A block is written in where it stands: one field for each text that it was joined from.

  /** The block that is heard is seen. */
  const heard = $derived(listening.here ? `${listening.here.page_id}.${listening.here.region_id}` : '');
  $effect(() => {
    if (heard) through?.querySelector(`[data-item="${CSS.escape(heard)}"]`)?.scrollIntoView({ block: 'nearest' });
  });

  const keyOf = (item: FlowItem) => `${item.page_id}.${item.region_id}`;
  let writtenIn = $state<string | null>(null);
  let typed = $state<Record<string, string>>({});
  let through = $state<HTMLElement>();

  /** The place in an item's text under the pointer. */
  function placeOf(event: MouseEvent, element: HTMLElement): number {
    const range = document.caretRangeFromPoint?.(event.clientX, event.clientY);
    if (!range || !element.contains(range.startContainer)) return 0;
    const before = document.createRange();
    before.setStart(element, 0);
    before.setEnd(range.startContainer, range.startOffset);
    return before.toString().length;
  }

  async function write(item: FlowItem, caret = 0) {
    const source = item.sources[0];
    if (!source) return go(item);
    writtenIn = keyOf(item);
    typed = {};
    await tick();
    const field = through?.querySelector<HTMLTextAreaElement>('textarea');
    field?.focus({ preventScroll: true });
    field?.setSelectionRange(caret, caret);
    field?.scrollIntoView({ block: 'nearest' });
    // Whoever goes back to the sheet is at the same word.
    await view.goPage(item.page - 1);
    takeWord(item, source, caret);
  }

  function takeWord(item: FlowItem, source: FlowItem['sources'][number], caret: number) {
    const region = findRegion(desk.page?.content, source.region_id);
    if (region && desk.page?.id === source.page_id) selection.select(region.id, wordAt(region, source.text, caret)?.id ?? null);
    else if (desk.page?.id === item.page_id) selection.select(item.region_id);
  }

  async function save(source: FlowItem['sources'][number]): Promise<boolean> {
    const key = `${source.page_id}.${source.region_id}`;
    const text = typed[key]?.replaceAll('\n', ' ').trim();
    if (text === undefined || text === source.text) return true;
    if (!text) {
      notices.notify('A block without words is none: remove it in Read.', 'refused');
      delete typed[key];
      return false;
    }
    if (!(await edits.edit({ op: 'set_running', region_id: source.region_id, text }, false, source.page_id))) return false;
    delete typed[key];
    return true;
  }

  async function onKey(event: KeyboardEvent, item: FlowItem, source: FlowItem['sources'][number]) {
    const at = flow.findIndex((x) => keyOf(x) === keyOf(item));
    const to = (by: 1 | -1) => {
      for (let i = at + by; i >= 0 && i < flow.length; i += by) if (flow[i]!.sources.length) return void write(flow[i]!);
    };
    if (event.key === 'Escape') {
      typed = {};
      writtenIn = null;
    } else if (event.key === 'Enter') void save(source).then((done) => done && to(event.shiftKey ? -1 : 1));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  async function left(item: FlowItem, source: FlowItem['sources'][number], event: FocusEvent) {
    takeWord(item, source, (event.currentTarget as HTMLTextAreaElement).selectionStart);
    await save(source);
    if (writtenIn === keyOf(item) && !(event.relatedTarget as HTMLElement | null)?.closest('.writing')) writtenIn = null;
  }
</script>

<div class="grid h-full grid-cols-[minmax(0,1fr)_22rem]">
  <div class="overflow-auto px-6 py-6">
    <article bind:this={through} class="through" lang={about.languageTag(d?.language)}>
      {#if flow.length === 0 && following !== null}<p class="text-quiet">Putting the document together…</p>
      {:else if flow.length === 0}<p class="text-quiet">Nothing has been read yet.</p>{/if}
      {#each flow as item, i (`${item.page_id}.${item.region_id}`)}
        {@const before = flow[i - 1]}
        {#if item.page !== before?.page}<div class="pagemark" aria-hidden="true">page {item.page}</div>{/if}
        <div class="item {item.role}" class:writing={writtenIn === keyOf(item)} class:heard={heard === keyOf(item)} data-item={keyOf(item)} style:margin-inline-start={item.depth ? `${item.depth * 1.6}em` : ''} lang={about.languageTag(item.language)} dir={about.rightToLeft(item.language) ? 'rtl' : 'ltr'}>
          <button class="plain role" title="Go to this block" onclick={() => go(item)}>{item.announced || '·'}{item.language !== d?.language && !pictures.has(item.role) ? `, ${about.languageName(item.language)}` : ''}</button>
          {#if writtenIn === keyOf(item)}
            {#each item.sources as source (`${source.page_id}.${source.region_id}`)}
              {@const key = `${source.page_id}.${source.region_id}`}
              <textarea class={tag(item.role)} rows="1" aria-label="Text of the block" spellcheck="false" value={typed[key] ?? source.text} oninput={(e) => (typed[key] = e.currentTarget.value)} onkeydown={(e) => void onKey(e, item, source)} onblur={(e) => void left(item, source, e)}></textarea>
            {/each}
          {:else if item.rows}
            <button class="plain rows" title="Go to this table" onclick={() => go(item)}>{#each item.rows as row, n (n)}<span class="cells" class:first={n === 0}>{#each row as cell, m (m)}<span>{cell}</span>{/each}</span>{/each}</button>
          {:else if pictures.has(item.role)}<button class="plain" title="Go to this picture" onclick={() => go(item)}><em>{item.text ? `${look(item.role).name}: ${item.text}` : `${look(item.role).name} without a description`}</em></button>
          {:else}
            <!-- What it is stays what a screen reader hears; Enter or a click writes in it. -->
            <!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_no_noninteractive_tabindex, a11y_no_static_element_interactions -->
            <svelte:element this={tag(item.role)} class="text {tag(item.role)}" tabindex="0" title="Write here" onclick={(e: MouseEvent) => void write(item, placeOf(e, e.currentTarget as HTMLElement))}
              onkeydown={(e: KeyboardEvent) => { if (e.key === 'Enter') { e.preventDefault(); void write(item); } }}>{#if item.runs?.length}{#each item.runs as run, n (n)}<span class={run.style.join(' ')}>{run.text}</span>{/each}{:else}{item.text}{/if}</svelte:element>
          {/if}
        </div>
      {/each}
      <p bind:this={foot} class="text-quiet m-0 text-center text-sm">{following !== null && flow.length ? '…' : ''}</p>
    </article>
  </div>
  <CheckPanel />
</div>

<style>
  .through { background: #fffefb; max-width: 46rem; margin: 0 auto; padding: 30px 46px 40px 120px; box-shadow: 0 1px 4px #0003; border-radius: 4px; }
  .item { display: block; position: relative; width: 100%; margin: 0 0 0.7em; line-height: 1.55; border-radius: 4px; }
  .item.heard { background: var(--color-lamp-100); box-shadow: -6px 0 0 var(--color-lamp-500); }
  .item:hover, .item.writing { background: var(--color-lamp-100); }
  .item .text { margin: 0; cursor: text; font-size: inherit; }
  .item textarea { display: block; width: 100%; field-sizing: content; resize: none; border: 0; outline: 2px solid var(--color-lamp-500); border-radius: 3px; background: #fff; color: var(--color-ink); padding: 0 2px; margin: 0 -2px; font: inherit; line-height: inherit; }
  .role { position: absolute; left: -112px; width: 100px; top: 3px; text-align: right; font-size: 12px; color: var(--color-quiet); line-height: 1.2; direction: ltr; }
  .role:hover { text-decoration: underline; }
  .item :global(.h1) { font-size: 1.7em; font-weight: 700; line-height: 1.2; }
  .item :global(.h2) { font-size: 1.3em; font-weight: 700; }
  .item :global(.h3), .item :global(.h4), .item :global(.h5), .item :global(.h6) { font-weight: 700; }
  .item.list_item { padding-left: 1.4em; }
  .item.caption { font-style: italic; }
  .bold { font-weight: 700; }
  .italic { font-style: italic; }
  .underlined { text-decoration: underline; }
  .struck { text-decoration: line-through; }
  .small_capitals { font-variant: small-caps; }
  .superscript, .subscript { font-size: 0.7em; line-height: 0; }
  .superscript { vertical-align: super; }
  .subscript { vertical-align: sub; }
  .smaller { font-size: 0.8em; }
  .larger { font-size: 1.25em; }
  .pagemark { margin: 14px 0 10px -112px; border-top: 1px dashed var(--color-hair); font-size: 12px; color: var(--color-quiet); padding-left: 72px; }
  .rows { display: table; border-collapse: collapse; }
  .cells { display: table-row; }
  .cells span { display: table-cell; border: 1px solid var(--color-hair); padding: 2px 10px; }
  .cells.first span { font-weight: 700; background: var(--color-primary-50); }
</style>
