<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { api, type BundleMark } from '../api/client';
  import { bundle, COLOURS } from '../bench/bundle.svelte';
  import { remembered } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { counted } from '../bench/words';

  /** Finding in the whole bundle, what is found made marks, and all marks. */
  let marks = $state.raw<BundleMark[]>([]);
  let sought = $state(bundle.sought);
  let colour = $state(remembered('mark.colour', COLOURS[0]![0]));
  let more = $state(false);

  $effect(() => {
    void bundle.told;
    void notices.attempt(async () => (marks = await api.bundleMarks(bundle.id)));
  });

  const show = (sheet: number) => {
    bundle.side = 'sheet';
    void bundle.go(sheet);
  };
  const highlight = () => notices.attempt(async () => {
    const told = await api.markHits(bundle.id, { text: bundle.sought, way: 'part', exact: false, colour, name: remembered('mark.name', '') });
    notices.notify(`${counted(told.made, 'place')} marked`);
    await bundle.reload();
  });
  const further = () => notices.attempt(async () => {
    more = true;
    const hits = bundle.hits;
    if (hits) {
      const next = await api.searchBundle(bundle.id, bundle.sought, hits.hits.length);
      bundle.hits = { total: next.total, hits: [...hits.hits, ...next.hits] };
    }
    more = false;
  });
  const tell = (m: BundleMark, told: Partial<BundleMark>) => notices.attempt(async () => {
    await api.tellMark(bundle.id, m.id, { colour: told.colour ?? m.colour, name: told.name ?? m.name, text: told.text ?? m.text });
    await bundle.reload();
  });
  const CALLED: Record<string, string> = { highlight: 'words', sideline: 'side line', area: 'area', note: 'note' };
</script>

<div class="all">
  <form class="bar" onsubmit={(e) => { e.preventDefault(); void bundle.seek(sought); }}>
    <input id="bundle-sought" type="search" bind:value={sought} placeholder="Find in all documents of the bundle" aria-label="Find in the bundle" maxlength="500" />
    <Button size="sm" type="submit">Find</Button>
  </form>
  {#if bundle.hits}
    <div class="bar found">
      <span aria-live="polite">“{bundle.sought}” stands in {counted(bundle.hits.total, 'place')}.</span>
      {#if bundle.hits.total}
        <label class="sr" for="hit-colour">Colour of the marks</label>
        <select id="hit-colour" bind:value={colour}>{#each COLOURS as [code, called] (code)}<option value={code}>{called}</option>{/each}</select>
        <Button size="xs" onclick={highlight}>Highlight all</Button>
      {/if}
      <Button size="xs" color="alternative" onclick={() => { sought = ''; void bundle.seek(''); }}>Put away</Button>
    </div>
    <ul class="hits" aria-label="Places where it stands">
      {#each bundle.hits.hits as hit, i (i)}
        <li><button class="plain" onclick={() => show(hit.sheet)}><b class="stub">{hit.label}</b> <span class="text-quiet">…{hit.before}</span><mark>{hit.found}</mark><span class="text-quiet">{hit.after}…</span></button></li>
      {/each}
      {#if bundle.hits.hits.length < bundle.hits.total}<li><Button size="xs" color="alternative" disabled={more} onclick={further}>More</Button></li>{/if}
    </ul>
  {/if}
  <div class="bar"><h2 class="m-0 flex-1 text-base font-bold">{counted(marks.length, 'mark')}</h2>
    {#if marks.length}<Button size="xs" color="alternative" onclick={() => void bundle.takeMarks(marks.slice(0, 2000).map((m) => m.id))}>Take all away</Button>{/if}
  </div>
  {#if !marks.length}<p class="text-quiet px-4">Drag over words, a passage or an area on a sheet; readers see each mark with what it says.</p>{/if}
  <ul class="marks" aria-label="Marks">
    {#each marks as m (m.id)}
      <li>
        <span class="patch" style:background="#{m.colour}" title={COLOURS.find((c) => c[0] === m.colour)?.[1] ?? m.colour}></span>
        <button class="plain" title="Show the sheet" onclick={() => show(m.sheet)}><b class="stub">{m.label}</b></button>
        <span class="text-quiet kind">{CALLED[m.kind]}</span>
        <input value={m.name} maxlength="100" placeholder="named after" aria-label="Named after, page {m.label}" onchange={(e) => void tell(m, { name: e.currentTarget.value })} />
        <input class="says" value={m.text} maxlength="5000" placeholder="says nothing" aria-label="Says, page {m.label}" onchange={(e) => void tell(m, { text: e.currentTarget.value })} />
        <Button size="xs" color="alternative" aria-label="Take the mark on page {m.label} away" onclick={() => void bundle.takeMarks([m.id])}>Take away</Button>
      </li>
    {/each}
  </ul>
</div>

<style>
  .all { height: 100%; overflow-y: auto; background: var(--color-paper); }
  .bar { display: flex; gap: 10px; padding: 10px 14px; align-items: center; flex-wrap: wrap; }
  .bar input, .bar select, .marks input { border: 1px solid #7b8a86; border-radius: 6px; background-color: #fff; padding: 4px 9px; font-size: 15px; color: var(--color-ink); min-width: 0; }
  input::placeholder { color: var(--color-quiet); opacity: 1; }
  .bar input { flex: 1; }
  .bar select { padding-right: 2rem; }
  .found { background: #eef1ee; }
  .found span { flex: 1; }
  .hits, .marks { list-style: none; margin: 0; padding: 0; }
  .hits { max-height: 40%; overflow-y: auto; border-bottom: 1px solid var(--color-hair); }
  .hits li { padding: 4px 14px; border-bottom: 1px solid #e4e9e6; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  .hits li button:hover, .marks li > button:hover { text-decoration: underline; }
  .hits mark { background: var(--color-lamp-300); color: var(--color-lamp-900); }
  .marks li { display: flex; gap: 8px; align-items: center; padding: 5px 14px; border-bottom: 1px solid #e4e9e6; content-visibility: auto; contain-intrinsic-height: 42px; }
  .marks .kind { width: 4.6em; flex-shrink: 0; font-size: 14px; }
  .marks input { width: 8em; }
  .marks .says { flex: 1; }
  .patch { width: 16px; height: 24px; border: 1px solid #0005; flex-shrink: 0; }
  .stub { font-family: var(--font-mono); font-size: 14px; min-width: 3em; display: inline-block; }
</style>
