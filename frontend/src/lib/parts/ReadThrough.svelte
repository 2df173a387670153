<script lang="ts">
  import { api, type FlowItem } from '../api/client';
  import { bench } from '../bench/bench.svelte';

  let flow = $state<FlowItem[] | null>(null);
  let title = $state<string | null>(null);
  const d = $derived(bench.document);
  const doubts = $derived(bench.doubts.filter((x) => x.stage === 'check' || x.stage === 'tag'));
  const edition = $derived(d ? `${d.id}:${d.pages.map((p) => p.revision).join(',')}` : '');

  $effect(() => {
    if (edition && d) void load(d.id);
  });

  async function load(id: number) {
    await bench.attempt(async () => {
      const told = await api.flow(id);
      if (bench.document?.id === id) flow = told;
    });
  }

  async function saveTitle() {
    if (!d || title === null || title.trim() === d.title) return;
    const typed = title;
    await bench.attempt(async () => {
      bench.document = await api.changeDocument(d.id, { title: typed });
      title = null;
      await bench.loadDoubts();
      bench.notify('Title saved');
    });
  }

  async function setLanguage(code: string) {
    if (!d) return;
    await bench.attempt(async () => {
      bench.document = await api.changeDocument(d.id, { language: code });
    });
  }

  const tag = (role: string) => (role.startsWith('heading_') ? `h${role.slice(-1)}` : role === 'caption' ? 'figcaption' : 'p');
  const go = (item: FlowItem) => {
    bench.goDocument(d!.id, 'tag', item.page - 1);
    setTimeout(() => bench.select(item.region_id), 400);
  };
  async function leave(x: (typeof doubts)[number]) {
    await bench.goDoubt(x);
    await bench.edit({ op: 'accept_doubt', key: x.key }, 'Leave as it is');
  }
</script>

<div class="grid h-full grid-cols-[minmax(0,1fr)_22rem]">
  <div class="overflow-auto px-6 py-6">
    <article class="through" lang={bench.languageTag(d?.language)}>
      {#if flow === null}<p class="text-quiet">Putting the document together…</p>
      {:else if flow.length === 0}<p class="text-quiet">Nothing has been read yet.</p>{/if}
      {#each flow ?? [] as item, i (`${item.page_id}.${item.region_id}`)}
        {@const before = flow?.[i - 1]}
        {#if item.page !== before?.page}<div class="pagemark" aria-hidden="true">page {item.page}</div>{/if}
        <button class="plain item {item.role}" lang={bench.languageTag(item.language)} dir={bench.rightToLeft(item.language) ? 'rtl' : 'ltr'} onclick={() => go(item)} title="Go to this block">
          <span class="role" aria-hidden="true">{item.role.replace('_', ' ')}{item.language !== d?.language && item.role !== 'figure' ? `, ${bench.languageName(item.language)}` : ''}</span>
          {#if item.rows}
            <span class="rows">{#each item.rows as row, n (n)}<span class="cells" class:first={n === 0}>{#each row as cell, m (m)}<span>{cell}</span>{/each}</span>{/each}</span>
          {:else if item.role === 'figure'}<em>{item.text ? `Figure: ${item.text}` : 'Figure without a description'}</em>
          {:else}<span class={tag(item.role)}>{item.text}</span>{/if}
        </button>
      {/each}
    </article>
  </div>
  <aside class="bg-paper border-hair flex flex-col gap-4 overflow-auto border-l p-4" aria-label="Check">
    <h2 class="m-0 text-base font-bold">As it will be spoken</h2>
    <label class="flex flex-col gap-1 text-sm font-bold">Title
      <input class="field" value={title ?? d?.title ?? ''} oninput={(e) => (title = e.currentTarget.value)} onblur={saveTitle} onkeydown={(e) => e.key === 'Enter' && e.currentTarget.blur()} />
    </label>
    <label class="flex flex-col gap-1 text-sm font-bold">Language of the document
      <select class="field" value={d?.language ?? ''} onchange={(e) => setLanguage(e.currentTarget.value)}>
        {#each bench.about?.languages ?? [] as x (x.code)}<option value={x.code}>{x.name}</option>{/each}
      </select>
    </label>
    <section aria-label="Findings">
      <h3 class="m-0 mb-1 text-sm font-bold">{doubts.length ? `${doubts.length} to settle` : 'Nothing left to settle'}</h3>
      <ul class="m-0 flex list-none flex-col gap-2 p-0 text-sm">
        {#each doubts as x (`${x.page_id}.${x.key}`)}
          <li class="finding">
            <span>{x.reason}{#if x.text} <b>“{x.text}”</b>{/if}</span>
            <span class="flex gap-3">
              {#if x.region_id}<button class="plain underline" onclick={() => { bench.goDocument(d!.id, 'tag', x.position); setTimeout(() => void bench.goDoubt(x), 400); }}>Go there</button>{/if}
              <button class="plain underline" onclick={() => void leave(x)}>Leave as it is</button>
            </span>
          </li>
        {/each}
      </ul>
    </section>
  </aside>
</div>

<style>
  .through { background: #fffefb; max-width: 46rem; margin: 0 auto; padding: 30px 46px 40px 120px; box-shadow: 0 1px 4px #0003; border-radius: 4px; }
  .item { display: block; position: relative; width: 100%; margin: 0 0 0.7em; line-height: 1.55; border-radius: 4px; }
  .item:hover { background: var(--color-lamp-100); }
  .role { position: absolute; left: -112px; width: 100px; top: 3px; text-align: right; font-size: 12px; color: var(--color-quiet); line-height: 1.2; direction: ltr; }
  .item :global(.h1) { font-size: 1.7em; font-weight: 700; line-height: 1.2; }
  .item :global(.h2) { font-size: 1.3em; font-weight: 700; }
  .item :global(.h3), .item :global(.h4), .item :global(.h5), .item :global(.h6) { font-weight: 700; }
  .item.list_item { padding-left: 1.4em; }
  .item.caption { font-style: italic; }
  .pagemark { margin: 14px 0 10px -112px; border-top: 1px dashed var(--color-hair); font-size: 12px; color: var(--color-quiet); padding-left: 72px; }
  .rows { display: table; border-collapse: collapse; }
  .cells { display: table-row; }
  .cells span { display: table-cell; border: 1px solid var(--color-hair); padding: 2px 10px; }
  .cells.first span { font-weight: 700; background: var(--color-primary-50); }
  .field { border: 1px solid #7b8a86; border-radius: 5px; padding: 5px 9px; font-size: 15px; font-weight: 400; background-color: #fff; }
  .finding { display: flex; flex-direction: column; gap: 2px; border-left: 4px dashed #b4610b; padding-left: 9px; }
</style>
