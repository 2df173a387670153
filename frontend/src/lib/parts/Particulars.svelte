<script lang="ts">
  import { api, type Abbreviation, type LabelRange, type Particulars } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';

  /** What is told of a document beside its title, and what its pages are called. */
  const FIELDS: [keyof Particulars, string, string][] = [
    ['author', 'Author', 'who made it'], ['subject', 'Subject', 'what it is about'], ['keywords', 'Keywords', 'with commas between'],
    ['reference', 'Reference', 'its number in the archive'], ['rights', 'Rights', 'who may use it'], ['date', 'Date', 'of the original'],
  ];
  const STYLES: [LabelRange['style'], string][] = [['D', '1, 2, 3'], ['r', 'i, ii, iii'], ['R', 'I, II, III'], ['a', 'a, b, c'], ['A', 'A, B, C'], ['', 'no number']];
  const d = $derived(desk.document);
  let typed = $state<Particulars | null>(null);
  let ranges = $state<LabelRange[] | null>(null);
  const shown = $derived(ranges ?? d?.ranges ?? []);
  const told = $derived(typed ?? d?.particulars);

  const change = (what: { particulars?: Particulars; ranges?: LabelRange[]; abbreviations?: Abbreviation[] }) =>
    notices.attempt(async () => {
      desk.document = await desk.change((id, revision) => api.changeDocument(id, { revision, ...what }));
      typed = ranges = null;
    });

  async function save() {
    if (typed && JSON.stringify(typed) !== JSON.stringify(d?.particulars)) await change({ particulars: $state.snapshot(typed) as Particulars });
    else typed = null;
  }

  async function propose() {
    const id = d?.id;
    if (id === undefined) return;
    await notices.attempt(async () => {
      const found = await api.printedLabels(id);
      if (!found.length) notices.notify('No page numbers that agree are printed on the pages.');
      else ranges = found;
    });
  }

  let short = $state(''), full = $state('');
  const listed = $derived(d?.abbreviations ?? []);
  async function abbreviate() {
    const one = { short: short.trim(), full: full.trim() };
    if (!one.short || !one.full) return;
    await change({ abbreviations: [...listed.filter((a) => a.short !== one.short), one] });
    short = full = '';
  }

  /** What is told here is told of all documents that are brought in to the batch, and of those there where nothing is. */
  const share = () =>
    notices.attempt(async () => {
      const id = d?.batch_id;
      if (id === undefined || !told) return;
      await save();
      const batch = await api.tellBatch(id, $state.snapshot(told) as Particulars, true);
      if (desk.batch?.id === batch.id) desk.batch = batch;
      notices.notify(`Told of all documents of ${batch.name}, and of those to come.`);
    });

  const set = (at: number, patch: Partial<LabelRange>) => (ranges = shown.map((r, i) => (i === at ? { ...r, ...patch } : r)));
  const add = () => (ranges = [...shown, { first: Math.max(desk.pageIndex, (shown.at(-1)?.first ?? -1) + 1), style: 'D', prefix: '', start: 1 }]);
</script>

<details class="fold">
  <summary>Particulars{#if d && !Object.values(d.particulars).some(Boolean)}: <span class="quiet">nothing told yet</span>{/if}{#if d?.particulars.author || d?.particulars.reference}: <span class="quiet">{[d.particulars.author, d.particulars.reference].filter(Boolean).join(', ')}</span>{/if}</summary>
  {#each FIELDS as [key, name, what] (key)}
    <label>{name} <input value={told?.[key] ?? ''} placeholder={what} maxlength="500" oninput={(e) => (typed = { ...(told as Particulars), [key]: e.currentTarget.value })} onblur={() => void save()} onkeydown={(e) => e.key === 'Enter' && e.currentTarget.blur()} /></label>
  {/each}
  <p class="row"><button title="Of the batch's documents where a field is empty, and of those that are brought in later" onclick={() => void share()}>The same for the whole batch</button></p>
</details>
<details class="fold">
  <summary>Abbreviations{#if listed.length}: <span class="quiet">{listed.map((a) => a.short).join(', ')}</span>{/if}</summary>
  {#each listed as a (a.short)}
    <div class="range"><b>{a.short}</b> {a.full} <button aria-label="Take {a.short} away" onclick={() => void change({ abbreviations: listed.filter((o) => o.short !== a.short) })}>✕</button></div>
  {/each}
  <div class="range">
    <input class="prefix" bind:value={short} placeholder="Insp." aria-label="Abbreviation" maxlength="60" />
    <input class="full" bind:value={full} placeholder="what it stands for" aria-label="What it stands for" maxlength="300" onkeydown={(e) => e.key === 'Enter' && void abbreviate()} />
    <button disabled={!short.trim() || !full.trim()} onclick={() => void abbreviate()}>Add</button>
  </div>
</details>
<details class="fold">
  <summary>Page labels: <span class="quiet">{d?.labels.length ? `${d.labels[0]} to ${d.labels.at(-1)}` : ''}</span></summary>
  {#each shown as r, at (at)}
    <div class="range">
      <label>from page <input type="number" min="1" max={d?.pages.length} value={r.first + 1} onchange={(e) => set(at, { first: Math.max(0, Number(e.currentTarget.value) - 1) })} /></label>
      <select aria-label="Counted as" value={r.style} onchange={(e) => set(at, { style: e.currentTarget.value as LabelRange['style'] })}>{#each STYLES as [id, name] (id)}<option value={id}>{name}</option>{/each}</select>
      <label>prefix <input class="prefix" value={r.prefix} maxlength="40" placeholder="A-" onchange={(e) => set(at, { prefix: e.currentTarget.value })} /></label>
      <label>from <input type="number" min="1" value={r.start} onchange={(e) => set(at, { start: Math.max(1, Number(e.currentTarget.value)) })} /></label>
      <button aria-label="Take this range away" onclick={() => (ranges = shown.filter((_, i) => i !== at))}>✕</button>
    </div>
  {/each}
  <p class="row">
    <button onclick={add}>Another range</button><button title="From the numbers that are printed on the pages" onclick={() => void propose()}>As printed</button>
    {#if ranges}<button class="keep" onclick={() => void change({ ranges: $state.snapshot(shown) as LabelRange[] })}>Keep</button><button onclick={() => (ranges = null)}>Forget</button>{/if}
  </p>
</details>

<style>
  .fold { font-size: 14px; }
  .fold summary { cursor: pointer; font-weight: 700; min-height: 24px; line-height: 24px; }
  .fold > label { display: flex; gap: 6px; align-items: center; margin-top: 4px; }
  .fold > label input { flex: 1; min-width: 0; }
  input, select { border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; padding: 2px 7px; font-size: 14px; font-weight: 400; }
  select { padding-right: 24px; }
  .range { display: flex; flex-wrap: wrap; gap: 4px 8px; align-items: center; border-bottom: 1px solid var(--color-hair); padding: 5px 0; }
  .range label { display: flex; gap: 4px; align-items: center; }
  .range input { width: 4em; }
  .range .prefix { width: 4.5em; }
  .range .full { flex: 1; min-width: 6em; width: auto; }
  .row { margin: 6px 0 0; display: flex; flex-wrap: wrap; gap: 4px; }
  button { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 1px 9px; font-size: 14px; }
  .keep { background: var(--color-primary-700); color: #fff; }
  .quiet { color: var(--color-quiet); font-weight: 400; }
</style>
