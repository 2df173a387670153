<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { api, type Batch, type Wish } from '../api/client';
  import { remember } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { PLAIN_WISH, scanning, type Cut } from '../bench/scanning.svelte';

  /** Which scanner, how, and where the pages go. */
  let { batch }: { batch: Batch } = $props();

  const wish = $derived(scanning.wish);
  const now = $derived(scanning.now);
  const input = $derived(wish.source === 'flatbed' ? now?.flatbed : now?.feeder);
  const COLOURS: [Wish['colour'], string][] = [['automatic', 'automatic'], ['colour', 'colour'], ['grey', 'grey'], ['one_bit', 'black and white']];
  const PAPERS: [Wish['paper'], string][] = [['automatic', 'as long as they are'], ['A4', 'A4'], ['A5', 'A5'], ['A3', 'A3'], ['letter', 'letter, 8½ × 11 in'], ['legal', 'legal, 8½ × 14 in'], ['own', 'other…']];
  const CUTS: [Cut, string][] = [['none', 'never: all is one document'], ['sheets', 'after so many sheets'], ['blank', 'at a blank sheet'], ['separator', 'at a separator sheet']];
  const STATES: Record<string, string> = { jam: 'a sheet has jammed in it', cover_open: 'its cover is open', double_feed: 'two sheets went in together' };
  const offered = $derived((input?.resolutions ?? [75, 150, 200, 300, 600]).filter((r) => r >= 75 && r <= 1200));
  const colours = $derived(COLOURS.filter(([key]) => key === 'automatic' || !input || input.colours.includes(key!)));

  let address = $state('');
  let adding = $state(false);
  let preset = $state('');
  let separating = $state(false);
  let names = $state('');

  async function add(told: string) {
    if (await scanning.add(told)) {
      adding = false;
      address = '';
    }
  }

  function usePreset(id: string) {
    preset = id;
    const kept = scanning.presets.find((p) => String(p.id) === id)?.preset;
    if (kept) scanning.take({ wish: { ...PLAIN_WISH, ...kept.wish }, cut: kept.cut ?? 'none', sheets: kept.sheets ?? 1, prefix: kept.prefix ?? 'Scan' });
    else scanning.take({ wish: PLAIN_WISH, cut: 'none', sheets: 1, prefix: 'Scan' });
  }

  async function savePreset() {
    const name = prompt('Keep these choices as', scanning.presets.find((p) => String(p.id) === preset)?.name ?? '')?.trim();
    if (!name) return;
    await scanning.savePreset(name);
    preset = String(scanning.presets.find((p) => p.name.toLowerCase() === name.toLowerCase())?.id ?? '');
  }

  async function printSeparators() {
    await notices.attempt(async () => {
      const told = names.split('\n').map((n) => n.trim());
      const file = await api.separators(told.some(Boolean) ? told.filter(Boolean) : ['']);
      const link = Object.assign(document.createElement('a'), { href: URL.createObjectURL(file), download: 'separator-sheets.pdf' });
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
      separating = false;
    });
  }

  function aimAt(value: string) {
    scanning.aim = value === 'new' ? { kind: 'new' } : { kind: 'end', document: Number(value) };
  }
</script>

<div class="rows">
  <section aria-label="The scanner">
    <div class="row">
      <label class="grow">Scanner
        <select value={String(scanning.chosen)} onchange={(e) => void scanning.choose(Number(e.currentTarget.value))}>
          {#if !scanning.scanners.length}<option value="0">none yet</option>{/if}
          {#each scanning.scanners as s (s.id)}<option value={String(s.id)}>{s.name}</option>{/each}
        </select>
      </label>
      <button onclick={() => (adding = true)}>Add…</button>
    </div>
    <p class="state" role="status" class:bad={scanning.away || (now?.trouble && now.trouble !== 'empty')}>
      {#if scanning.away}{scanning.away} <button onclick={() => void scanning.look()}>Ask again</button>
      {:else if now}{now.trouble ? now.trouble === 'empty' ? 'Its feeder is empty.' : `It says that ${STATES[now.trouble] ?? now.trouble}.` : now.loaded ? 'Sheets lie in its feeder.' : 'It is ready.'}
        {#if now.page}<a href={now.page} target="_blank" rel="noopener noreferrer">Its own page</a>{/if}
        <button onclick={() => void scanning.look()} aria-label="Ask the scanner again">↻</button>
      {/if}
    </p>
  </section>
  <section aria-label="Presets">
    <div class="row">
      <label class="grow">Preset
        <select value={preset} onchange={(e) => usePreset(e.currentTarget.value)}>
          <option value="">the usual</option>
          {#each scanning.presets as p (p.id)}<option value={String(p.id)}>{p.name}</option>{/each}
        </select>
      </label>
      <button onclick={() => void savePreset()}>Keep as…</button>
      {#if preset}<button aria-label="Forget this preset" onclick={() => { void scanning.deletePreset(Number(preset)); preset = ''; }}>✕</button>{/if}
    </div>
  </section>
  <section aria-label="Sheets">
    <div class="pick" role="radiogroup" aria-label="From">
      {#each [['feeder', 'Feeder'], ['flatbed', 'Glass']] as [key, name] (key)}
        <label class:on={wish.source === key}><input type="radio" name="source" value={key} checked={wish.source === key} disabled={now !== null && !(key === 'feeder' ? now.feeder : now.flatbed)} onchange={() => scanning.set({ source: key as 'feeder' })} />{name}</label>
      {/each}
    </div>
    {#if wish.source === 'feeder'}
      <label>Sides
        <select value={wish.sides} onchange={(e) => scanning.set({ sides: e.currentTarget.value as Wish['sides'] })}>
          <option value="one">one side</option>
          {#if now?.both_sides !== false}<option value="both">both sides</option>{/if}
          <option value="second_pass">both, the other sides afterwards</option>
        </select>
      </label>
      <label>Size of the sheets
        <select value={wish.paper} onchange={(e) => scanning.set({ paper: e.currentTarget.value as Wish['paper'], own: e.currentTarget.value === 'own' ? [210, 297] : null })}>
          {#each PAPERS as [key, name] (key)}<option value={key}>{name}</option>{/each}
        </select>
      </label>
      {#if wish.paper === 'own' && wish.own}
        <div class="row">
          <label>wide, mm <input type="number" min="20" max="2000" value={wish.own[0]} onchange={(e) => scanning.set({ own: [e.currentTarget.valueAsNumber || 210, wish.own![1]!] })} /></label>
          <label>high, mm <input type="number" min="20" max="2000" value={wish.own[1]} onchange={(e) => scanning.set({ own: [wish.own![0]!, e.currentTarget.valueAsNumber || 297] })} /></label>
        </div>
      {/if}
    {/if}
    <div class="row">
      <label class="grow">Colours
        <select value={wish.colour} onchange={(e) => scanning.set({ colour: e.currentTarget.value as Wish['colour'] })}>
          {#each colours as [key, name] (key)}<option value={key}>{name}</option>{/each}
        </select>
      </label>
      <label>dpi
        <select value={String(wish.dpi)} onchange={(e) => scanning.set({ dpi: Number(e.currentTarget.value) })}>
          {#each offered as r (r)}<option value={String(r)}>{r}</option>{/each}
        </select>
      </label>
    </div>
    {#each [['brightness', 'Brightness', 'darker', 'lighter'], ['contrast', 'Contrast', 'softer', 'harder']] as [key, name, low, high] (key)}
      {#if !now || now.tones.includes(key!)}
        <label class="slide">{name} <input type="range" min="-100" max="100" step="5" value={wish[key as 'contrast']} aria-valuetext={`${wish[key as 'contrast']} (${low} to ${high})`} oninput={(e) => scanning.set({ [key!]: e.currentTarget.valueAsNumber })} /><output>{wish[key as 'contrast']}</output></label>
      {/if}
    {/each}
    <label class="tick"><input type="checkbox" checked={wish.drop_blank} onchange={(e) => scanning.set({ drop_blank: e.currentTarget.checked })} /> leave blank sides out (they can be put back)</label>
  </section>
  <section aria-label="Where pages go">
    {#if scanning.aim.kind === 'after' || scanning.aim.kind === 'instead'}
      <p class="state">The next sheet goes <b>{scanning.aim.says}</b>. <button onclick={() => (scanning.aim = { kind: 'new' })}>No, to a document</button></p>
    {:else}
      <label>Pages go
        <select value={scanning.aim.kind === 'end' ? String(scanning.aim.document) : 'new'} onchange={(e) => aimAt(e.currentTarget.value)}>
          <option value="new">into a new document</option>
          {#each batch.documents as d (d.id)}<option value={String(d.id)}>to the end of {d.name}</option>{/each}
        </select>
      </label>
      <label>A new document begins
        <select bind:value={scanning.cut} onchange={() => scanning.keep()}>
          {#each CUTS as [key, name] (key)}<option value={key}>{name}</option>{/each}
        </select>
      </label>
      <div class="row">
        {#if scanning.cut === 'sheets'}<label>sheets each <input type="number" min="1" max="5000" bind:value={scanning.sheets} onchange={() => scanning.keep()} /></label>{/if}
        <label class="grow">Names begin with <input maxlength="120" bind:value={scanning.prefix} onchange={() => scanning.keep()} /></label>
      </div>
      <label class="tick"><input type="checkbox" checked={scanning.ask} onchange={(e) => { scanning.ask = e.currentTarget.checked; remember('scan.ask', scanning.ask ? 'yes' : 'no'); }} /> ask for each document's title and number</label>
      <button onclick={() => (separating = true)}>Print separator sheets…</button>
    {/if}
  </section>
</div>

<Modal bind:open={adding} title="Add a scanner" size="sm" class="bg-paper">
  <div class="adding text-ink">
    <form class="row" onsubmit={(e) => { e.preventDefault(); void add(address); }}>
      <label class="grow">Its address <input placeholder="192.168.1.20 or http://scanner.local:8080" bind:value={address} /></label>
      <button type="submit" disabled={!address.trim()}>Add</button>
    </form>
    <div class="row"><button disabled={scanning.looking} onclick={() => void scanning.find()}>{scanning.looking ? 'Looking…' : 'Look in the network'}</button>
      {#if scanning.chosen}<button onclick={() => { void scanning.forget(); adding = false; }}>Forget the scanner in hand</button>{/if}</div>
    {#if scanning.found}
      {#if scanning.found.length}
        <ul>{#each scanning.found as f (f.address)}<li><b>{f.name}</b> <span class="text-quiet">{f.address}</span> {#if f.known}known{:else}<button onclick={() => void add(f.address)}>This one</button>{/if}</li>{/each}</ul>
      {:else}<p class="m-0">None announces itself. Name it by its address; it must speak eSCL (driverless scanning).</p>{/if}
    {/if}
    <p class="text-quiet m-0 text-sm">Only scanners that you name or confirm here are spoken to.</p>
  </div>
</Modal>

<Modal bind:open={separating} title="Separator sheets" size="sm" class="bg-paper">
  <div class="adding text-ink">
    <label>A document's name on each line; none for a sheet that only parts <textarea rows="6" bind:value={names} maxlength="60000"></textarea></label>
    <p class="text-quiet m-0 text-sm">Print them and lay one before the first sheet of each document. The scanner reads the code; the sheet itself is left out.</p>
    <div class="row"><button onclick={() => void printSeparators()}>Make the PDF</button></div>
  </div>
</Modal>

<style>
  .rows { flex: 1; min-height: 0; overflow-y: auto; }
  section { padding: 10px 16px; border-bottom: 1px solid var(--color-hair); display: flex; flex-direction: column; gap: 8px; }
  .row { display: flex; gap: 8px; align-items: flex-end; flex-wrap: wrap; }
  .grow { flex: 1; min-width: 0; }
  label { display: flex; flex-direction: column; font-size: 14px; gap: 1px; }
  label.slide { flex-direction: row; align-items: center; gap: 8px; }
  label.slide input { flex: 1; min-width: 0; accent-color: var(--color-primary-600); }
  label.slide output { width: 2.4em; text-align: right; font-variant-numeric: tabular-nums; }
  label.tick { flex-direction: row; align-items: center; gap: 8px; }
  select, input:not([type='range'], [type='radio'], [type='checkbox']), textarea { border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; color: var(--color-ink); padding: 3px 8px; font-size: 15px; width: 100%; min-width: 0; }
  select { padding-right: 1.8rem; text-overflow: ellipsis; }
  input[type='number'] { width: 90px !important; }
  button { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; padding: 3px 10px; font-size: 14px; min-height: 28px; align-self: flex-end; }
  .state { margin: 0; font-size: 14px; }
  .state.bad { color: var(--color-lamp-900); background: var(--color-lamp-100); border-radius: 5px; padding: 4px 8px; }
  .state a { text-decoration: underline; }
  .state button { padding: 0 7px; min-height: 24px; }
  .pick { display: inline-flex; border: 1px solid #7b8a86; border-radius: 6px; overflow: hidden; align-self: stretch; background: #fff; }
  .pick label { flex: 1; padding: 3px 0; text-align: center; align-items: center; cursor: pointer; position: relative; font-size: 15px; }
  .pick label.on { background: var(--color-primary-700); color: #fff; }
  .pick label:focus-within { outline: 3px solid var(--color-lamp-500); outline-offset: -2px; }
  .pick input { position: absolute; inset: 0; opacity: 0; cursor: pointer; }
  .adding { display: flex; flex-direction: column; gap: 12px; }
  .adding ul { margin: 0; padding: 0; list-style: none; display: flex; flex-direction: column; gap: 6px; }
</style>
