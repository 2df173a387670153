<script lang="ts">
  import { reasonOf } from '../bench/words';
  import { about } from '../bench/about.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { notices } from '../bench/notices.svelte';
  import { edits } from '../bench/edits.svelte';
  import { hand, type Handles } from '../bench/hand.svelte';
  import { Button } from 'flowbite-svelte';
  import { api, Refused, type Audience, type NamedTreatment, type Treatment } from '../api/client';
    import { cleaning } from '../bench/cleaning.svelte';

  type Step = 'turn' | 'split' | 'outline' | 'straighten' | 'flatten' | 'trim' | 'lighten' | 'show_through' | 'marks' | 'descreen' | 'ink' | 'output';
  const groups: { title: string; steps: { id: Step; name: string; handles?: Handles }[] }[] = [
    { title: 'How it lies', steps: [
      { id: 'turn', name: 'Upright' }, { id: 'split', name: 'Spread', handles: 'fold' }, { id: 'outline', name: 'Outline', handles: 'outline' },
      { id: 'straighten', name: 'Straight' }, { id: 'flatten', name: 'Flat', handles: 'grid' }, { id: 'trim', name: 'Cut', handles: 'cut' },
    ] },
    { title: 'Paper and ink', steps: [
      { id: 'lighten', name: 'Paper' }, { id: 'descreen', name: 'Halftone' }, { id: 'show_through', name: 'Show-through' },
      { id: 'marks', name: 'Marks' }, { id: 'ink', name: 'Ink' }, { id: 'output', name: 'Colours' },
    ] },
  ];
  const switches = [['automatic', 'auto'], ['off', 'off'], ['by_hand', 'hand']] as const;
  const page = $derived(desk.page);
  const treatment = $derived(cleaning.treatment);
  const busy = $derived(page?.task_state === 'running' || page?.task_state === 'waiting');
  let audience = $state<Audience>('page');
  let named = $state<NamedTreatment[]>([]);
  let naming = $state<string | null>(null);
  let chosenName = $state('');

  // Whom it is for is asked anew on each page, so that nothing reaches a whole batch by habit.
  $effect(() => { if (page && cleaning.take(page)) audience = 'page'; });
  $effect(() => { void notices.attempt(async () => { named = await api.namedTreatments(); }); });
  $effect(() => { if (audience === 'selection' && selection.picked.length < 2) audience = 'page'; });

  const found = (step: string) => cleaning.findings.find((f) => f.step === step);
  const value = (step: Step) => treatment?.[step]?.switch ?? 'automatic';
  const part = (step: Step) => (treatment?.[step] ?? {}) as Record<string, number | boolean | string>;

  function setSwitch(step: Step, to: string) {
    const applied = cleaning.applied;
    const now: Record<string, unknown> = { ...($state.snapshot(treatment?.[step]) as object), switch: to };
    if (to === 'by_hand' && applied) {
      if (step === 'turn') now['degrees'] = applied.turn;
      if (step === 'straighten') now['degrees'] = applied.skew;
      if (step === 'split') now['fold'] = applied.fold ?? [(applied.upright?.[0] ?? 8) / 2, (applied.upright?.[0] ?? 8) / 2];
      if (step === 'outline') now['corners'] = applied.corners ?? corners(applied.upright ?? [8, 11]);
      if (step === 'trim') now['box'] = applied.box;
      if (step === 'flatten') now['bend'] = coarse(applied.bend ?? null, (applied.sheet ?? [8, 11]) as [number, number]);
    }
    cleaning.change({ [step]: now } as Partial<Treatment>);
    const handles = groups.flatMap((g) => g.steps).find((s) => s.id === step)?.handles;
    if (handles && to === 'by_hand' && hand.handles !== handles) cleaning.open(handles);
    else if (handles && to !== 'by_hand' && hand.handles === handles) cleaning.open('none');
  }

  const set = (step: Step, patch: Record<string, unknown>, gesture: string | null = null) =>
    cleaning.change({ [step]: { ...($state.snapshot(treatment?.[step]) as object), switch: 'by_hand', ...patch } } as Partial<Treatment>, gesture);

  function corners([w, h]: readonly number[]) {
    const inset = 0.02 * Math.min(w!, h!);
    return [[inset, inset], [w! - inset, inset], [w! - inset, h! - inset], [inset, h! - inset]];
  }

  /** A bend with few enough nodes to take in hand. */
  function coarse(bend: { size: readonly number[]; down: readonly (readonly number[])[]; along: readonly number[] } | null, size: [number, number]) {
    const columns = 9, rows = 5;
    if (!bend) return { size, down: Array.from({ length: rows }, () => Array(columns).fill(0)), along: Array(columns).fill(0) };
    const at = (list: readonly number[], share: number) => {
      const x = share * (list.length - 1), i = Math.min(list.length - 2, Math.floor(x));
      return list[i]! * (1 - x + i) + list[i + 1]! * (x - i);
    };
    const down = Array.from({ length: rows }, (_, r) => {
      const y = (r / (rows - 1)) * (bend.down.length - 1), i = Math.min(bend.down.length - 2, Math.floor(y));
      return Array.from({ length: columns }, (_, c) => at(bend.down[i]!, c / (columns - 1)) * (1 - y + i) + at(bend.down[i + 1]!, c / (columns - 1)) * (y - i));
    });
    return { size: bend.size, down, along: Array.from({ length: columns }, (_, c) => at(bend.along, c / (columns - 1))) };
  }

  function turnBy(degrees: number) {
    const now = value('turn') === 'by_hand' ? Number(part('turn')['degrees'] ?? 0) : (cleaning.applied?.turn ?? 0);
    set('turn', { degrees: (now + degrees + 360) % 360 });
  }

  async function saveAs(replace = false) {
    if (!treatment || !naming?.trim()) return;
    try {
      await api.saveTreatment(naming.trim(), $state.snapshot(treatment) as Treatment, replace);
      notices.notify(`Saved as “${naming.trim()}”`);
      chosenName = naming.trim();
      naming = null;
      named = await api.namedTreatments();
    } catch (error) {
      if (error instanceof Refused && error.status === 409 && confirm(`${error.message} Replace it?`)) await saveAs(true);
      else if (!(error instanceof Refused && error.status === 409)) notices.report(error);
    }
  }

  function useNamed(name: string) {
    chosenName = name;
    const saved = named.find((n) => n.name === name);
    if (!saved) return;
    const own = $state.snapshot(treatment) as Treatment;
    cleaning.change({ ...(saved.treatment as Treatment), patches: own.patches ?? [] });
  }

  async function forget() {
    const saved = named.find((n) => n.name === chosenName);
    if (!saved || !confirm(`Delete the saved treatment “${saved.name}”? Pages keep what they have.`)) return;
    await notices.attempt(async () => { await api.deleteTreatment(saved.id); named = await api.namedTreatments(); chosenName = ''; });
  }

  const unsure = $derived((desk.page?.doubts ?? []).filter((d) => d.stage === 'clean'));
  const target = $derived(audience === 'selection' ? `${selection.picked.length} picked pages` : audience === 'page' ? 'this page' : audience === 'document' ? 'the whole document' : 'the whole batch');
</script>

<section class="flex min-h-0 flex-1 flex-col" aria-label="Treatment">
  <header class="border-hair border-b px-4 py-2">
    <div class="flex items-baseline justify-between">
      <h2 class="m-0 text-base font-bold">Treatment, page {desk.pageIndex + 1}</h2>
      <button class="plain text-sm underline" disabled={!cleaning.canUndo} onclick={() => cleaning.undo()}>Take back</button>
    </div>
    <div class="mt-1 flex gap-1 text-sm">
      <select class="min-w-0 flex-1" aria-label="Saved treatments" value={chosenName} onchange={(e) => useNamed(e.currentTarget.value)}>
        <option value="">{named.length ? 'Saved treatments…' : 'None saved yet'}</option>
        {#each named as n (n.id)}<option value={n.name}>{n.name}</option>{/each}
      </select>
      <button onclick={() => (naming = chosenName)} disabled={!treatment}>Save as…</button>
      {#if chosenName}<button aria-label="Delete the saved treatment" title="Delete the saved treatment" onclick={() => void forget()}>✕</button>{/if}
    </div>
    {#if naming !== null}
      <form class="mt-1 flex gap-1 text-sm" onsubmit={(e) => { e.preventDefault(); void saveAs(); }}>
        <!-- svelte-ignore a11y_autofocus -->
        <input class="min-w-0 flex-1 rounded border px-2" aria-label="Name" placeholder="Ledgers of the thirties" maxlength="80" bind:value={naming} autofocus onkeydown={(e) => e.key === 'Escape' && (naming = null)} />
        <button type="submit" disabled={!naming.trim()}>Save</button>
      </form>
    {/if}
  </header>
  <div class="min-h-0 flex-1 overflow-auto">
    {#each unsure as d (d.key)}
      <div class="doubt"><span><b>Doubt.</b> {reasonOf(d)}</span>
        <button onclick={() => void edits.settleThenNext(() => edits.edit({ op: 'accept_doubt', key: d.key }, d.pages.length > 1))}>Leave as it is</button>
      </div>
    {/each}
    {#each groups as group (group.title)}
      <h3 class="group">{group.title}</h3>
      {#each group.steps as step (step.id)}
        {@const f = found(step.id)}
        {@const now = value(step.id)}
        <div class="step" class:unsure={(f?.confidence ?? 1) < about.sure} class:hand={now !== 'automatic'}>
          <div class="name">{step.name}</div>
          <div class="switch" role="radiogroup" aria-label={step.name}>
            {#each switches as [id, label] (id)}
              <label class:on={now === id}><input type="radio" name="switch-{step.id}" value={id} checked={now === id} disabled={!treatment} onchange={() => setSwitch(step.id, id)} />{label}</label>
            {/each}
          </div>
          <div class="says">{f?.says ?? '…'}{#if f && (f.confidence ?? 1) < 0.995 && now === 'automatic'}<span class="text-quiet"> · {Math.round((f.confidence ?? 1) * 100)} % sure</span>{/if}</div>
          {#if now === 'by_hand' || step.id === 'turn'}
            <div class="more">
              {#if step.id === 'turn'}
                <button onclick={() => turnBy(-90)} aria-label="Turn left">⟲ 90°</button><button onclick={() => turnBy(90)} aria-label="Turn right">⟳ 90°</button>
              {:else if step.handles}
                <button aria-pressed={hand.handles === step.handles} onclick={() => cleaning.open(step.handles!)}>{hand.handles === step.handles ? 'Done' : 'Set on the sheet'}</button>
              {:else if step.id === 'straighten'}
                <label>degrees <input type="number" step="0.05" min="-45" max="45" value={part('straighten')['degrees'] ?? 0} onchange={(e) => set('straighten', { degrees: Number(e.currentTarget.value) })} /></label>
              {:else if step.id === 'lighten' || step.id === 'show_through'}
                <label>strength <input type="range" min="0" max="1" step="0.05" value={part(step.id)['strength'] ?? 1} oninput={(e) => set(step.id, { strength: Number(e.currentTarget.value) }, 'strength')} onchange={() => cleaning.release()} /></label>
              {:else if step.id === 'marks'}
                {#each [['specks', 'specks'], ['holes', 'holes, staples'], ['lines', 'streaks, folds'], ['edges', 'dirty edges']] as [key, label] (key)}
                  <label class="tick"><input type="checkbox" checked={part('marks')[key!] !== false} onchange={(e) => set('marks', { [key!]: e.currentTarget.checked })} />{label}</label>
                {/each}
              {:else if step.id === 'descreen'}
                <label>lines an inch <input type="number" min="40" max="300" step="1" value={part('descreen')['lines'] ?? 133} onchange={(e) => set('descreen', { lines: Number(e.currentTarget.value) })} /></label>
              {:else if step.id === 'ink'}
                <label>darker <input type="range" min="0" max="1" step="0.05" value={part('ink')['darken'] ?? 0.5} oninput={(e) => set('ink', { darken: Number(e.currentTarget.value) }, 'darken')} onchange={() => cleaning.release()} /></label>
                <label>sharper <input type="range" min="0" max="1" step="0.05" value={part('ink')['sharpen'] ?? 0.3} oninput={(e) => set('ink', { sharpen: Number(e.currentTarget.value) }, 'sharpen')} onchange={() => cleaning.release()} /></label>
              {:else if step.id === 'output'}
                <select aria-label="Colours of the page" value={part('output')['colours'] ?? 'grey'} onchange={(e) => set('output', { colours: e.currentTarget.value })}>
                  <option value="colour">colour</option><option value="grey">grey</option><option value="black_and_white">black and white</option>
                </select>
                {#if part('output')['colours'] === 'black_and_white'}
                  <label>threshold <select value={part('output')['threshold'] ?? 'edges'} onchange={(e) => set('output', { threshold: e.currentTarget.value })}>
                    <option value="edges">by edges</option><option value="sauvola">by mean (Sauvola)</option>
                  </select></label>
                  <label>thin – bold <input type="range" min="-1" max="1" step="0.1" value={part('output')['bias'] ?? 0} oninput={(e) => set('output', { bias: Number(e.currentTarget.value) }, 'bias')} onchange={() => cleaning.release()} /></label>
                {/if}
              {/if}
            </div>
          {/if}
        </div>
      {/each}
    {/each}
    {#if (treatment?.patches?.length ?? 0) > 0}
      <div class="step"><div class="name">By hand</div><button class="plain justify-self-end text-sm underline" onclick={() => cleaning.change({ patches: [] })}>Undo all</button>
        <div class="says">{treatment?.patches?.length} {treatment?.patches?.length === 1 ? 'place' : 'places'} erased or put back</div></div>
    {/if}
    {#if page?.dpi}<div class="step"><div class="name">Resolution</div><div></div><div class="says">{page.dpi} dpi{page.dpi_reason ? `: ${page.dpi_reason}` : ', as stated'}{page.cleaned_dpi && page.cleaned_dpi !== page.dpi ? `; the squared sheet has ${page.cleaned_dpi}` : ''}</div></div>{/if}
  </div>
  <footer class="border-hair flex flex-col gap-2 border-t p-3">
    <div class="flex items-center gap-2 text-sm">
      <label class="flex flex-1 items-center gap-2">For
        <select class="min-w-0 flex-1" bind:value={audience}>
          <option value="page">this page</option>
          {#if selection.picked.length > 1}<option value="selection">{selection.picked.length} picked pages</option>{/if}
          <option value="document">the whole document</option><option value="batch">the whole batch</option>
        </select>
      </label>
      {#if cleaning.changed}<button onclick={() => cleaning.drop()}>Forget</button>{:else}<button onclick={() => cleaning.reset()} title="All steps automatic, nothing erased">Reset</button>{/if}
    </div>
    <Button size="sm" disabled={!treatment || busy || (!cleaning.changed && audience === 'page')} onclick={() => void cleaning.apply(audience)}>Clean {target}</Button>
    {#if cleaning.changed && (page?.settled ?? 0) > 0}<p class="text-quiet m-0 text-sm">It is read again; {page?.settled} settled words and roles stay.</p>{/if}
  </footer>
</section>

<style>
  .group { margin: 0; padding: 8px 16px 2px; font-size: 13px; font-weight: 700; color: var(--color-quiet); }
  .step { display: grid; grid-template-columns: 1fr auto; gap: 1px 8px; padding: 5px 16px 6px; border-bottom: 1px solid #e2e6e2; font-size: 14px; align-items: center; border-left: 4px solid transparent; }
  .step.unsure { background: var(--color-lamp-100); }
  .step.hand { border-left-color: var(--color-primary-600); }
  .name { font-weight: 700; }
  .says { grid-column: 1 / -1; font-size: 13px; line-height: 1.3; }
  .more { grid-column: 1 / -1; display: flex; flex-wrap: wrap; gap: 4px 10px; align-items: center; padding-top: 3px; font-size: 13px; }
  .more label { display: flex; gap: 6px; align-items: center; }
  .more input[type='range'] { width: 110px; accent-color: var(--color-primary-600); }
  .tick input { accent-color: var(--color-primary-600); }
  .switch { display: inline-flex; border: 1px solid #7b8a86; border-radius: 5px; overflow: hidden; background: #fff; }
  .switch label { padding: 0 7px; font-size: 12.5px; line-height: 20px; cursor: pointer; position: relative; }
  .switch label + label { border-left: 1px solid #b9c3bf; }
  .switch label.on { background: var(--color-primary-700); color: #fff; }
  .switch label:focus-within { outline: 3px solid var(--color-lamp-500); outline-offset: -2px; }
  .switch input { position: absolute; inset: 0; opacity: 0; cursor: pointer; }
  .doubt { display: flex; gap: 8px; align-items: center; justify-content: space-between; padding: 6px 16px; font-size: 13.5px; background: var(--color-lamp-100); border-bottom: 1px solid var(--color-lamp-300); }
  .doubt button { flex-shrink: 0; }
  select, input[type='number'] { border: 1px solid #7b8a86; border-radius: 5px; padding: 1px 24px 1px 8px; font-size: 14px; background-color: #fff; }
  input[type='number'] { width: 76px; padding-right: 4px; }
  button:not(.plain) { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; padding: 1px 8px; font-size: 13px; }
  button:disabled { color: #66736f; cursor: default; }
  button[aria-pressed='true'] { background: var(--color-lamp-500); }
  footer :global(button) { border-radius: 6px; }
</style>
