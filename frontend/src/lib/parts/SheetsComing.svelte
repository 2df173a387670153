<script lang="ts">
  import { tick } from 'svelte';
  import { api, type Face } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { scanning, type Sheet } from '../bench/scanning.svelte';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';

  /** Sheets as they come: a leaf each, front and back hinged; those out of sight are not drawn. */
  let { sheets, running }: { sheets: Sheet[]; running: boolean } = $props();

  let box = $state<HTMLDivElement>();
  let large = $state<Face | null>(null);
  let following = $state(true);
  let naming = $state<number | null>(null);
  let name = $state(''), reference = $state('');

  const documents = $derived.by(() => {
    const found: { key: string; title: string; document: number | null; sheets: { sheet: Sheet; at: number }[] }[] = [];
    for (const [at, sheet] of sheets.entries()) {
      if (!found.length || sheet.begins) found.push({ key: sheet.key, title: sheet.title, document: sheet.document, sheets: [] });
      found.at(-1)!.sheets.push({ sheet, at });
    }
    return found;
  });

  const FATES: Record<string, string> = { blank: 'left out: blank', separator: 'separator sheet', waiting: 'waits for its other side' };
  const summary = (id: number | null) => desk.batch?.documents.find((d) => d.id === id);

  // The last sheet stays in sight while more come, unless the clerk looks elsewhere.
  $effect(() => {
    void sheets.length;
    if (running && following) void tick().then(() => box?.scrollTo({ top: box.scrollHeight }));
  });
  const onScroll = () => (following = !box || box.scrollTop + box.clientHeight > box.scrollHeight - 120);

  // A document is whole when the next one has begun, or when no more sheets come; then it is asked for, once.
  const whole = $derived(documents.map((d) => d.document).filter((id, at) => id !== null && (!running || at < documents.length - 1)) as number[]);
  $effect(() => {
    if (!scanning.ask || naming !== null || scanning.scan?.trouble || scanning.scan?.aim.document || scanning.scan?.aim.after || scanning.scan?.aim.instead) return;
    const next = whole.find((id) => !scanning.askedOf.has(id));
    if (next === undefined) return;
    scanning.askedOf.add(next);
    void openName(next);
  });

  async function openName(id: number) {
    await notices.attempt(async () => {
      const document = await api.document(id);
      name = document.title;
      reference = document.particulars.reference ?? '';
      naming = id;
    });
  }

  async function saveName() {
    const id = naming, title = name.trim(), number = reference.trim(); // the next document's may stand there soon
    naming = null;
    if (id === null) return;
    await notices.attempt(async () => {
      const document = await api.document(id);
      await api.changeDocument(id, { revision: document.revision, title: title || document.title, particulars: { ...document.particulars, reference: number } });
      await Promise.all([desk.refresh(), scanning.refresh()]);
    });
  }

  async function goPage(face: Face) {
    if (!face.document) return;
    const document = await api.document(face.document);
    await view.goDocument(face.document, 'clean', Math.max(0, document.pages.findIndex((p) => p.id === face.page)));
  }
</script>

<div class="box" bind:this={box} onscroll={onScroll} role="region" aria-label="Sheets that have come">
  {#each documents as group (group.key)}
    {#if group.document !== null}
      <header class="begins">
        {#if naming === group.document}
          <form onsubmit={(e) => { e.preventDefault(); void saveName(); }}>
            <!-- svelte-ignore a11y_autofocus -->
            <label>Title <input bind:value={name} maxlength="500" autofocus /></label>
            <label>Reference number <input bind:value={reference} maxlength="200" /></label>
            <button type="submit">Keep</button><button type="button" onclick={() => (naming = null)}>Leave</button>
          </form>
        {:else}
          <h2>{group.title}</h2>
          {#if summary(group.document)}<span class="text-quiet">{counted(summary(group.document)!.pages, 'page')}</span>{/if}
          <button onclick={() => void openName(group.document!)} aria-label="Name {group.title}">Name it…</button>
        {/if}
      </header>
    {/if}
    <div class="sheets" role="list" aria-label={group.title || 'Sheets'}>
    {#each group.sheets as { sheet, at } (sheet.key)}
    <div class="sheet" role="listitem" class:poor={sheet.faces.some((f) => f.remarks.length)}>
      <div class="leaves">
        {#each sheet.faces as face (face.id)}
          <figure class="face" class:out={face.fate === 'blank' || face.fate === 'separator'} class:waiting={face.fate === 'waiting'}>
            <button class="plain" onclick={() => (large = face)} aria-label="Look at side {face.number + 1}">
              <img src="/api/faces/{face.id}/picture" alt="" height="220" loading="lazy" />
            </button>
            {#if FATES[face.fate]}<figcaption>{FATES[face.fate]}{#if face.fate === 'blank'} <button onclick={() => scanning.act(() => api.putBackFace(face.id))} aria-label="Put side {face.number + 1} back">Put back</button>{/if}</figcaption>{/if}
          </figure>
        {/each}
      </div>
      <div class="foot">
        <b>{at + 1}</b>
        {#each sheet.faces as face (face.id)}
          {#each face.remarks as remark (remark)}<span class="remark">{remark}</span>{/each}
        {/each}
        {#if sheet.faces.some((f) => f.page && f.remarks.length)}
          <button onclick={() => scanning.again(sheet.faces.find((f) => f.page && f.remarks.length)!)}>Scan it again</button>
        {/if}
      </div>
    </div>
    {/each}
    </div>
  {/each}
</div>

{#if large}
  <div class="veil" role="dialog" aria-modal="true" aria-label="Side {large.number + 1}">
    <img src="/api/faces/{large.id}/picture?small=false" alt="The side as it came" />
    <div class="over">
      {#each large.remarks as remark (remark)}<p class="remark">{remark}</p>{/each}
      {#if large.page}
        <button onclick={() => { scanning.again(large!); large = null; }}>Scan it again in its place</button>
        <button onclick={() => void goPage(large!)}>Open the page</button>
      {/if}
      <!-- svelte-ignore a11y_autofocus -->
      <button autofocus onclick={() => (large = null)}>Close <span class="key">Esc</span></button>
    </div>
  </div>
{/if}
<svelte:window onkeydown={(e) => { if (e.key === 'Escape' && large) { e.stopPropagation(); large = null; } }} />

<style>
  .box { flex: 1; min-height: 0; overflow-y: auto; padding: 16px 20px 40px; display: flex; flex-direction: column; gap: 14px; }
  .sheets { display: flex; flex-wrap: wrap; gap: 18px 16px; align-items: flex-start; }
  .begins { display: flex; gap: 14px; align-items: center; border-top: 2px solid var(--color-primary-700); padding-top: 6px; }
  .begins h2 { margin: 0; font-size: 16px; }
  .begins form { display: flex; gap: 12px; align-items: center; flex-wrap: wrap; }
  .begins input { border: 1px solid #7b8a86; border-radius: 5px; padding: 2px 8px; background: #fff; }
  .sheet { content-visibility: auto; contain-intrinsic-size: 160px 270px; max-width: 340px; }
  .leaves { display: flex; }
  .face { margin: 0; position: relative; background: #fff; box-shadow: 0 1px 5px #12312f55; min-width: 60px; }
  .face + .face { border-left: 3px double #7b8a86; }
  .face button.plain { display: block; }
  .face img { display: block; height: 220px; width: auto; max-width: 260px; object-fit: contain; }
  .face.out img { opacity: 0.35; }
  .face.waiting { outline: 2px dashed var(--color-primary-600); }
  .face figcaption { position: absolute; inset: auto 0 0 0; padding: 4px 6px; font-size: 13px; background: #fbfaf6ee; text-align: center; }
  .face figcaption button { margin-left: 6px; }
  .foot { display: flex; flex-wrap: wrap; gap: 2px 8px; align-items: baseline; padding-top: 4px; font-size: 13.5px; }
  .poor .face { box-shadow: 0 0 0 3px var(--color-lamp-500); }
  .remark { color: var(--color-lamp-900); background: var(--color-lamp-100); border-radius: 4px; padding: 1px 6px; }
  button:not(.plain) { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; color: var(--color-ink); padding: 1px 8px; font-size: 13px; min-height: 24px; }
  .veil { position: fixed; inset: 56px 0 0 0; background: #12312fee; display: flex; justify-content: center; gap: 20px; padding: 20px; z-index: 20; }
  .veil img { max-height: 100%; max-width: calc(100% - 260px); object-fit: contain; background: #fff; }
  .over { width: 220px; display: flex; flex-direction: column; gap: 8px; align-items: flex-start; }
  .over button { font-size: 15px; padding: 5px 12px; }
  .over p { margin: 0; }
</style>
