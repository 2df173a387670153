<script lang="ts">
  import { Button, Checkbox } from 'flowbite-svelte';
  import { api, type BundleRules } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { bundle } from '../bench/bundle.svelte';

  const PLACES: [NonNullable<BundleRules['place']>, string][] = [
    ['top_left', 'above, left'], ['top_centre', 'above, middle'], ['top_right', 'above, right'],
    ['bottom_left', 'beneath, left'], ['bottom_centre', 'beneath, middle'], ['bottom_right', 'beneath, right'],
  ];
  const SIZES = [12, 14, 16, 18, 20, 24, 30, 36];
  const WORDS: [keyof NonNullable<BundleRules['words']>, string][] = [['heading', 'Its heading'], ['number', 'Column of labels'], ['title', 'Column of titles'], ['date', 'Column of dates'], ['page', 'Column of pages'], ['volume', 'Column of volumes'], ['blank', 'On blank backs']];
  const QUALITIES: [NonNullable<BundleRules['quality']>, string][] = [['as_scanned', 'as scanned'], ['balanced', 'balanced'], ['smallest', 'smallest: sharp ink, soft ground']];
  const rules = $derived(bundle.told!.rules);
  const words = $derived(rules.words!);

  const set = (patch: Partial<BundleRules>) => void bundle.change((id, revision) => api.ruleBundle(id, revision, { ...rules, ...patch }));
  const number = (value: string, fallback: number) => (Number.isFinite(Number(value)) && Number(value) >= 1 ? Math.floor(Number(value)) : fallback);
</script>

<div class="all">
  <section>
    <h2>Numbers</h2>
    <Checkbox checked={rules.stamped ?? true} onchange={(e) => set({ stamped: e.currentTarget.checked })}>Stamp a number on each page</Checkbox>
    <p class="text-quiet hint">It stands where the page is free of ink, the nearest place first; a page without room is made a little smaller. What a viewer calls the page is always this number.</p>
    <div class="row">
      <label>Place <select value={rules.place} onchange={(e) => set({ place: e.currentTarget.value as BundleRules['place'] })}>{#each PLACES as [key, name] (key)}<option value={key}>{name}</option>{/each}</select></label>
      <label>Size in points <select value={rules.size} onchange={(e) => set({ size: Number(e.currentTarget.value) })}>{#each SIZES as s (s)}<option value={s}>{s}</option>{/each}</select></label>
      <label>Before each number <input class="short" value={rules.prefix} maxlength="20" onchange={(e) => set({ prefix: e.currentTarget.value })} /></label>
      <label>First number <input class="short" type="number" min="1" max="1000000" value={rules.start} onchange={(e) => set({ start: number(e.currentTarget.value, 1) })} /></label>
    </div>
    <Checkbox checked={rules.by_section ?? false} onchange={(e) => set({ by_section: e.currentTarget.checked })}>Count each section from 1, after its label</Checkbox>
    <fieldset>
      <legend>Pages that come late</legend>
      <label><input type="radio" name="late" checked={rules.late === 'letters'} onchange={() => set({ late: 'letters' })} /> get letters behind the number before them: 24a, 24b; at the end they go on counting</label>
      <label><input type="radio" name="late" checked={rules.late === 'anew'} onchange={() => set({ late: 'anew' })} /> have all that follow counted anew</label>
    </fieldset>
    <div class="row">
      {#if bundle.told!.kept}
        <p class="m-0 flex-1">The numbers are kept: no late page changes them.</p>
        <Button size="sm" color="alternative" onclick={() => void bundle.change((id, r) => api.numberAnew(id, r))}>Number anew</Button>
      {:else}
        <p class="m-0 flex-1 text-quiet">Numbers are kept from the first delivery on, or from now.</p>
        <Button size="sm" color="alternative" disabled={!bundle.sheets.length || rules.late === 'anew'} onclick={() => void bundle.change((id, r) => api.keepNumbers(id, r))}>Keep these numbers</Button>
      {/if}
    </div>
  </section>
  <section>
    <h2>Printed on both sides</h2>
    <Checkbox checked={rules.right_hand ?? false} onchange={(e) => set({ right_hand: e.currentTarget.checked })}>Each document begins on a right-hand page</Checkbox>
    <p class="text-quiet hint">Blank backs are put in where a document has an odd number of pages, and go again with this switch. They have no number.</p>
  </section>
  <section>
    <h2>Index</h2>
    <Checkbox checked={rules.index ?? true} onchange={(e) => set({ index: e.currentTarget.checked })}>An index comes first, its pages i, ii</Checkbox>
    <div class="row">
      <label>Language <select value={rules.language} onchange={(e) => set({ language: e.currentTarget.value })}>
        {#each about.languages as l (l.code)}<option value={l.code}>{l.name}</option>{/each}
      </select></label>
      <label>Pictures of pages <select value={rules.quality} onchange={(e) => set({ quality: e.currentTarget.value as BundleRules['quality'] })}>{#each QUALITIES as [key, name] (key)}<option value={key}>{name}</option>{/each}</select></label>
    </div>
    <details>
      <summary>What it says</summary>
      <div class="grid">
        {#each WORDS as [key, name] (key)}<label>{name} <input value={words[key]} maxlength="100" onchange={(e) => e.currentTarget.value.trim() && set({ words: { ...words, [key]: e.currentTarget.value.trim() } })} /></label>{/each}
      </div>
    </details>
  </section>
</div>

<style>
  .all { height: 100%; overflow-y: auto; background: var(--color-paper); padding: 4px 20px 20px; }
  section { padding: 12px 0; border-bottom: 1px solid var(--color-hair); display: flex; flex-direction: column; gap: 8px; }
  section:last-child { border: 0; }
  h2 { margin: 0; font-size: 17px; }
  .hint { margin: 0 0 0 24px; font-size: 14px; max-width: 44em; }
  .row { display: flex; flex-wrap: wrap; gap: 10px 16px; align-items: flex-end; }
  label { font-size: 14px; font-weight: 700; display: flex; flex-direction: column; gap: 2px; }
  fieldset { border: 0; margin: 0; padding: 0; display: flex; flex-direction: column; gap: 5px; }
  fieldset legend { font-weight: 700; font-size: 14px; padding: 0; margin-bottom: 4px; }
  fieldset label { flex-direction: row; gap: 8px; font-weight: 400; font-size: 15px; }
  input[type='radio'] { accent-color: var(--color-primary-600); width: 18px; height: 18px; }
  select, input:not([type='radio']):not([type='checkbox']) { border: 1px solid #7b8a86; border-radius: 6px; background-color: #fff; color: var(--color-ink); padding: 4px 9px; font-size: 15px; font-weight: 400; }
  select { padding-right: 2rem; max-width: 17em; }
  .short { width: 7em; }
  .grid { display: grid; grid-template-columns: 1fr 1fr; gap: 8px 14px; padding-top: 8px; }
  summary { cursor: pointer; }
</style>
