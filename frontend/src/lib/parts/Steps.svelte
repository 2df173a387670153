<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { api, type Treatment } from '../api/client';
  import { bench } from '../bench/bench.svelte';

  type Step = 'turn' | 'straighten' | 'trim' | 'lighten' | 'despeckle';
  const steps: { id: Step; name: string }[] = [
    { id: 'turn', name: 'Upright' }, { id: 'straighten', name: 'Straight' }, { id: 'trim', name: 'Scanner bed' },
    { id: 'lighten', name: 'Paper' }, { id: 'despeckle', name: 'Specks' },
  ];
  let draft = $state<Treatment | null>(null);
  let forPage = 0;
  const page = $derived(bench.page);
  const treatment = $derived(draft ?? page?.treatment ?? null);
  const changed = $derived(draft !== null);
  const busy = $derived(page?.task_state === 'running' || page?.task_state === 'waiting');

  $effect(() => {
    if (page && page.id !== forPage) {
      forPage = page.id;
      draft = null;
    }
  });

  function change(patch: Partial<Treatment>) {
    if (treatment) draft = { ...structuredClone($state.snapshot(treatment)), ...patch } as Treatment;
  }

  function found(step: string): { says: string; sure: boolean } | null {
    const f = page?.findings.find((x) => x.step === step);
    return f ? { says: f.says, sure: (f.confidence ?? 1) >= 0.75 } : null;
  }

  function setSwitch(step: Step, value: string) {
    if (!treatment) return;
    const now = { ...treatment[step], switch: value } as never;
    if (value === 'by_hand' && step === 'straighten') change({ straighten: { switch: 'by_hand', degrees: page?.findings.find((f) => f.step === 'straighten')?.value ?? 0 } });
    else if (value === 'by_hand' && step === 'turn') change({ turn: { switch: 'by_hand', degrees: (page?.findings.find((f) => f.step === 'turn')?.value ?? 0) as 0 | 90 | 180 | 270 } });
    else if (value === 'by_hand' && step === 'trim') change({ trim: { switch: 'by_hand', box: (page?.trim ?? null) as never } });
    else change({ [step]: now } as Partial<Treatment>);
  }

  async function apply(pages: 'page' | 'document') {
    if (!page || !treatment) return;
    const wanted = $state.snapshot(treatment) as Treatment;
    await bench.attempt(async () => {
      await api.treat(page.id, wanted, pages);
      draft = null;
      await bench.refresh();
    });
  }

  function turnBy(degrees: number) {
    const now = treatment?.turn?.switch === 'by_hand' ? (treatment.turn.degrees ?? 0) : (page?.findings.find((f) => f.step === 'turn')?.value ?? 0);
    change({ turn: { switch: 'by_hand', degrees: ((((now + degrees) % 360) + 360) % 360) as 0 | 90 | 180 | 270 } });
  }

  function edge(side: 0 | 1 | 2 | 3, value: number) {
    const box = [...((treatment?.trim?.box ?? page?.trim ?? [0, 0, 0, 0]) as number[])];
    box[side] = value;
    change({ trim: { switch: 'by_hand', box: box as never } });
  }

  const doubts = $derived(bench.pageDoubts.filter((d) => d.stage === 'clean'));
  const notes = $derived((page?.findings ?? []).filter((f) => f.step === 'quality'));
</script>

<section class="flex min-h-0 flex-1 flex-col overflow-auto" aria-label="Treatment">
  <header class="border-hair border-b px-4 py-2">
    <h2 class="m-0 text-base font-bold">Treatment of page {bench.pageIndex + 1}</h2>
    <p class="text-quiet m-0 text-sm">The original is never touched; hold <span class="key">O</span> to see it.</p>
  </header>
  {#if page?.dpi}
    <div class="step"><span class="name">Resolution</span><span>{page.dpi} dpi{page.dpi_reason ? `: ${page.dpi_reason}` : ', as stated'}</span></div>
  {/if}
  {#each steps as step (step.id)}
    {@const f = found(step.id)}
    {@const value = treatment?.[step.id]?.switch ?? 'automatic'}
    <div class="step" class:unsure={f && !f.sure}>
      <label class="name" for="switch-{step.id}">{step.name}</label>
      <div class="flex flex-col gap-1">
        <span>{f?.says ?? (value === 'off' ? 'left as scanned' : '…')}</span>
        <select id="switch-{step.id}" {value} disabled={!treatment} onchange={(e) => setSwitch(step.id, e.currentTarget.value)}>
          <option value="automatic">automatic</option><option value="off">off</option>
          {#if step.id !== 'despeckle'}<option value="by_hand">by hand</option>{/if}
        </select>
        {#if step.id === 'turn'}
          <div class="flex gap-1"><button onclick={() => turnBy(-90)} aria-label="Turn left">⟲ 90°</button><button onclick={() => turnBy(90)} aria-label="Turn right">⟳ 90°</button></div>
        {:else if step.id === 'straighten' && value === 'by_hand'}
          <label class="num">degrees <input type="number" step="0.05" min="-15" max="15" value={treatment?.straighten?.degrees ?? 0} onchange={(e) => change({ straighten: { switch: 'by_hand', degrees: Number(e.currentTarget.value) } })} /></label>
        {:else if step.id === 'lighten' && value === 'by_hand'}
          <label class="num">strength <input type="range" min="0" max="1" step="0.05" value={treatment?.lighten?.strength ?? 1} oninput={(e) => change({ lighten: { switch: 'by_hand', strength: Number(e.currentTarget.value) } })} /></label>
        {:else if step.id === 'trim' && value === 'by_hand'}
          <div class="grid grid-cols-2 gap-1">
            {#each ['left', 'top', 'right', 'bottom'] as side, i (side)}
              <label class="num">{side} <input type="number" step="10" min="0" value={(treatment?.trim?.box ?? page?.trim ?? [0, 0, 0, 0])[i]} onchange={(e) => edge(i as 0 | 1 | 2 | 3, Number(e.currentTarget.value))} /></label>
            {/each}
          </div>
        {/if}
      </div>
    </div>
  {/each}
  {#each notes as note (note.says)}<p class="note m-0 px-4 py-2 text-sm">{note.says}</p>{/each}
  {#each doubts as d (d.key)}
    <div class="border-hair border-b px-4 py-2 text-sm">
      <b>Doubt:</b> {d.reason}
      <button class="ml-1" onclick={() => void bench.settleThenNext(() => bench.edit({ op: 'accept_doubt', key: d.key }, 'Leave as it is'))}>Leave as it is</button>
    </div>
  {/each}
  <footer class="mt-auto flex flex-col gap-2 p-4">
    {#if changed && (page?.settled ?? 0) > 0}<p class="text-quiet m-0 text-sm">The page is read again; {page?.settled} settled words and roles are kept.</p>{/if}
    <Button disabled={!changed || busy} onclick={() => apply('page')}>Apply to this page</Button>
    <Button color="alternative" disabled={!treatment || busy} onclick={() => apply('document')}>Apply to the whole document</Button>
    {#if changed}<button class="plain text-sm underline" onclick={() => (draft = null)}>Forget the change</button>{/if}
  </footer>
</section>

<style>
  .step { display: grid; grid-template-columns: 92px 1fr; gap: 8px; padding: 8px 16px; border-bottom: 1px solid #e2e6e2; font-size: 14px; }
  .step.unsure, .note { background: var(--color-lamp-100); }
  .name { font-weight: 700; }
  select, input[type='number'] { border: 1px solid #7b8a86; border-radius: 5px; padding: 2px 24px 2px 8px; font-size: 14px; background-color: #fff; }
  input[type='number'] { width: 80px; padding-right: 4px; }
  .num { display: flex; gap: 6px; align-items: center; justify-content: space-between; }
  button:not(.plain) { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; padding: 1px 9px; }
  footer :global(button) { border-radius: 6px; }
</style>
