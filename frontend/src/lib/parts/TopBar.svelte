<script lang="ts">
  import { history } from '../bench/history.svelte';
  import { view } from '../bench/view.svelte';
  import { bundle } from '../bench/bundle.svelte';
  import { finding } from '../bench/finding.svelte';
  import { desk } from '../bench/desk.svelte';
    import { STAGES } from '../bench/stages';

  let { onhelp }: { onhelp: () => void } = $props();
  const counts = $derived(desk.document?.doubts ?? desk.batch?.doubts ?? {});
  const inHand = $derived(desk.document !== null || desk.batch !== null);
  const documents = $derived(desk.batch?.documents ?? []);
  const left = $derived(Object.values(counts).reduce((a, b) => a + b, 0));
  const enabled = (id: string) => inHand && (documents.length > 0 || id === 'bring_in' || desk.document !== null);

  function choose(event: Event) {
    const id = Number((event.currentTarget as HTMLSelectElement).value);
    void view.goDocument(id, view.stage === 'bring_in' || view.stage === 'deliver' ? 'proof' : view.stage, 0);
  }
</script>

<header class="bg-primary-900 text-paper flex h-14 shrink-0 items-stretch gap-3 pr-2 pl-3">
  <button class="plain flex items-center gap-2" onclick={() => void view.goHome()} title="All batches">
    <img src="/mark.svg" alt="" width="26" height="26" />
    <span class="text-lg font-bold tracking-wide">Hyalen</span>
  </button>
  {#if inHand}
    <div class="flex w-64 flex-col justify-center text-sm leading-tight xl:w-80">
      <button class="plain text-primary-100 min-h-6 truncate text-left hover:underline" onclick={() => desk.batch && void view.goBatch(desk.batch.id)}>
        {desk.batch?.name ?? ''}
      </button>
      {#if desk.document}
        <label class="sr" for="document-in-hand">Document in hand</label>
        <select id="document-in-hand" class="bg-primary-900 min-h-6 w-full cursor-pointer truncate border-0 p-0 pr-6 text-sm font-bold text-white" title={desk.document.name} value={desk.document.id} onchange={choose}>
          {#each documents as d (d.id)}<option value={d.id} class="bg-white text-black">{d.name}</option>{/each}
        </select>
      {/if}
    </div>
  {/if}
    <nav aria-label="Stages" class="flex min-w-0 flex-1 items-stretch justify-center">
      <ol class="course m-0 flex list-none items-stretch p-0">
        {#each STAGES as stage (stage.id)}
          {@const n = counts[stage.id] ?? 0}
          {@const here = inHand && view.stage === stage.id}
          <li class="flex">
            <button
              class="stage" class:here disabled={!enabled(stage.id)} aria-current={here ? 'step' : undefined}
              title={stage.asks} onclick={() => void view.goStage(stage.id)}
            >
              <span>{stage.name}</span>
              {#if n > 0}<span class="count" aria-label="{n} doubts left">{n}</span>{/if}
            </button>
          </li>
        {/each}
      </ol>
    </nav>
    {#if inHand}
    <p class="m-0 hidden flex-col justify-center text-right text-sm leading-tight lg:flex" aria-live="polite">
      <b>{left}</b><span class="text-primary-100">{left === 1 ? 'doubt' : 'doubts'} left</span>
    </p>
  {/if}
  {#if desk.document}
    <div class="flex items-center" role="group" aria-label="History">
      <button class="turn" disabled={!history.undo} aria-label="Undo{history.undo ? `: ${history.undo.label}` : ''}" title={history.undo ? `Undo: ${history.undo.label} (Ctrl Z)` : 'Nothing to undo'} onclick={() => void history.turn('undo')}>↶</button>
      <button class="turn" disabled={!history.redo} aria-label="Redo{history.redo ? `: ${history.redo.label}` : ''}" title={history.redo ? `Redo: ${history.redo.label} (Ctrl Shift Z)` : 'Nothing to redo'} onclick={() => void history.turn('redo')}>↷</button>
    </div>
  {/if}
  <button class="plain px-2 text-sm" title={view.bundle === null ? 'Find and replace (Ctrl F)' : 'Find in the bundle (Ctrl F)'} onclick={() => (view.bundle === null ? finding.show() : bundle.find())}>Find</button>
  <button class="plain px-2 text-lg" title="Keys (?)" aria-label="Keys" onclick={onhelp}>?</button>
</header>

<style>
  .stage {
    display: flex; align-items: center; gap: 6px; padding: 0 11px; color: #d5e9e5; background: transparent; border: 0;
    border-bottom: 4px solid transparent; border-top: 4px solid transparent; font-size: 15px;
  }
  .turn { border: 0; background: transparent; color: #fff; font-size: 20px; min-width: 30px; min-height: 30px; border-radius: 5px; }
  .turn:hover:not(:disabled) { background: var(--color-primary-700); }
  .turn:disabled { color: #77918d; cursor: default; }
  .stage:hover:not(:disabled) { color: #fff; border-bottom-color: #458f86; }
  .stage:disabled { color: #77918d; cursor: default; }
  .stage.here { color: #fff; font-weight: 700; border-bottom-color: var(--color-lamp-500); }
</style>
