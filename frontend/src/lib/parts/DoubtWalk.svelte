<script lang="ts">
  import { untrack } from 'svelte';
  import { finding } from '../bench/finding.svelte';
  import { GOALS, proof } from '../bench/proof.svelte';
  import { slips } from '../bench/slips.svelte';
  import SamplePanel from './SamplePanel.svelte';
  import WordLists from './WordLists.svelte';
  import { standing, type Standing } from '../bench/ledger';
  import { manyOf, reasonOf } from '../bench/words';
  import { view } from '../bench/view.svelte';
  import { doubts } from '../bench/doubts.svelte';
  import { edits } from '../bench/edits.svelte';
  import { desk } from '../bench/desk.svelte';

  const LISTED = 200;
  const walk = $derived(edits.walk);
  const at = $derived(edits.at);
  const doubt = $derived(at >= 0 ? walk[at] : undefined);
  const counts = $derived(desk.document?.doubts ?? {});
  const own = $derived(walk.length ? doubts.list.some((d) => d.stage === view.stage) : !!counts[view.stage]);
  let open = $state(false);
  let sampling = $state(false);
  let lists = $state(false);
  const here = $derived(desk.pages[desk.pageIndex]);
  /** Other documents of the batch that wait, the one with most doubts first. */
  const waiting = $derived((desk.batch?.documents ?? []).filter((d) => d.id !== desk.document?.id && (d.doubts['proof'] ?? 0) > 0).sort((a, b) => (b.doubts['proof'] ?? 0) - (a.doubts['proof'] ?? 0)));
  let listed = $state(LISTED);
  const listedAs = $derived(desk.batch?.documents.find((d) => d.id === desk.document?.id));
  /** What is said where there are none, which may be only because there is no text yet. */
  const NONE: Record<Standing, string> = {
    'at work': 'No doubts yet: pages are still at work.',
    failed: 'No doubts left on the pages that could be read; others failed.',
    'not read': 'No doubts left on the pages that are read; others are not read yet.',
    doubts: 'No doubts left in this document.',
    ready: 'No doubts left in this document.',
  };
  /** As the server counts them: the list itself may still be on its way. */
  const total = $derived(own ? (counts[view.stage] ?? walk.length) : Object.values(counts).reduce((a, b) => a + b, 0));

  const where = (text: string | null | undefined, kind: string) => (text ? `“${text}”` : kind === 'alternative' ? 'picture' : kind);

  const left = $derived(proof.leftOf(desk.document?.id));
  const share = (v: number) => `${(v * 100).toLocaleString(undefined, { maximumFractionDigits: 2 })} %`;
  $effect(() => {
    void [desk.document?.id, desk.document?.revision, counts['proof'], desk.document?.undo?.id];
    if (view.stage === 'proof') untrack(() => proof.ask());
  });

  async function accept() {
    const key = doubt?.key;
    if (!doubt || !key) return;
    await edits.settleThenNext(() =>
      doubt.word_id
        ? edits.edit({ op: 'accept_word', word_id: doubt.word_id })
        : edits.edit({ op: 'accept_doubt', key }, doubt.pages.length > 1),
    );
  }
</script>

<!-- It has its place before it is told: what lies below would move under the pointer. -->
{#if view.stage === 'proof' && left?.words !== 0}
  <section class="border-hair border-b px-3 py-2 text-sm" aria-label="How good the text is">
    <p class="m-0">
      {#if left}<b>About {Math.round(left.expected)}</b> wrong {Math.round(left.expected) === 1 ? 'word' : 'words'} left of {left.words.toLocaleString()} <span class="text-quiet">({left.between[0]} to {left.between[1]})</span>
      {:else}<span class="text-quiet">Telling how many words are wrong…</span>{/if}
    </p>
    <p class="m-0 mt-1 flex flex-wrap items-center gap-x-2">
      <label>Good enough: <select class="goal" value={proof.goal} onchange={(e) => proof.aim(Number(e.currentTarget.value))}>{#each GOALS as goal (goal)}<option value={goal}>{share(goal)}</option>{/each}</select></label>
      <span class="basis-full">{!left ? '\u00a0' : left.look ? `the worst ${left.look.toLocaleString()} ${left.look === 1 ? 'doubt is' : 'doubts are'} worth a look` : `reached: ${share(left.accuracy)} expected`}</span>
    </p>
    <p class="m-0 mt-1 flex gap-1"><button class="step" title="Many doubtful words at once, alike ones together (V)" onclick={() => void slips.show()}>Slips</button><button class="step" title="A sample by lot tells how many words are right" onclick={() => { sampling = true; lists = false; }}>Sample…</button><button class="step" title="Words that are right whatever other lists say" onclick={() => { lists = true; sampling = false; }}>Word lists…</button></p>
    {#if here && here.expected >= 0.5}<p class="text-quiet m-0">about {Math.round(here.expected)} of them on this page</p>{/if}
    {#if waiting.length}<p class="text-quiet m-0">{waiting.length === 1 ? 'Another document waits' : `${waiting.length} other documents wait`}: {waiting.reduce((n, d) => n + (d.doubts['proof'] ?? 0), 0).toLocaleString()} doubts</p>{/if}
    {#if edits.pace !== null}<p class="text-quiet m-0">{edits.pace} words a minute{left?.look ? `, about ${Math.max(1, Math.round(left.look / edits.pace))} min to go` : ''}</p>{/if}
  </section>
{/if}
{#if lists}<WordLists onclose={() => (lists = false)} />{/if}
{#if sampling}<SamplePanel onclose={() => (sampling = false)} />{/if}
{#if edits.kin}
  <p class="kin m-0 flex items-center gap-2 px-3 py-1 text-sm">“{edits.kin.read}” stands {edits.kin.count === 1 ? 'once' : `${manyOf(edits.kin.count)} times`} more. <button class="step" onclick={() => edits.kin && finding.show(edits.kin.read, edits.kin.text)}>See them <span class="key">Alt K</span></button></p>
{/if}
<section class="border-hair border-b px-3 py-2" aria-label="Doubts">
  {#if total === 0}
    <p class="text-primary-700 m-0 font-bold">{NONE[listedAs ? standing(listedAs) : 'ready']}</p>
    {#if view.stage === 'proof' && waiting[0]}<p class="m-0 mt-1 text-sm"><button class="step" onclick={() => waiting[0] && void view.goDocument(waiting[0].id, 'proof')}>Go on with {waiting[0].title}</button> <span class="text-quiet">{waiting[0].doubts['proof']} doubts</span></p>{/if}
  {:else}
    <div class="flex items-center gap-2">
      <button class="plain flex-1 text-left" aria-expanded={open} onclick={() => (open = !open)}>
        <span class="count">{total}</span> {own ? 'doubts here' : 'doubts elsewhere'}{#if at >= 0}<span class="text-quiet">, at {at + 1}</span>{/if} <span aria-hidden="true">{open ? '▴' : '▾'}</span>
      </button>
      <button class="step" title="Previous doubt ([)" aria-label="Previous doubt" onclick={() => void edits.step(-1)}>[</button>
      <button class="step" title="Next doubt (])" aria-label="Next doubt" onclick={() => void edits.step(1)}>]</button>
    </div>
    {#if doubt && !doubt.word_id}
      <p class="m-0 mt-1 text-sm">{reasonOf(doubt)} <button class="step" onclick={accept}>Leave as it is</button></p>
    {/if}
    {#if open}
      <ol class="m-0 mt-2 max-h-56 list-none overflow-auto p-0 text-sm">
        {#each walk.slice(0, listed) as d (`${d.page_id}.${d.key}`)}
          <li>
            <button class="row" class:here={d === doubt} onclick={() => void edits.goDoubt(d)}>
              <span class="bar" aria-hidden="true"><span style:height="{Math.round(d.weight * 100)}%"></span></span>
              <span class="min-w-0 flex-1 truncate" title={reasonOf(d)}>{where(d.text, d.kind)}</span>
              <span class="text-quiet">{d.pages.length > 1 ? `${d.pages.length} pages` : `p. ${d.position + 1}`}</span>
            </button>
          </li>
        {/each}
        {#if walk.length > listed}<li><button class="row" onclick={() => (listed += LISTED)}>{total - listed} more…</button></li>{/if}
      </ol>
    {/if}
  {/if}
</section>

<style>
  .step { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; min-width: 30px; padding: 1px 8px; font-size: 14px; }
  .step:hover { background: var(--color-primary-50); }
  .goal { padding: 0 22px 0 4px; font-size: 14px; border-radius: 4px; }
  .kin { background: var(--color-lamp-100); }
  .row { display: flex; align-items: center; gap: 8px; width: 100%; border: 0; background: transparent; padding: 2px 4px; text-align: left; border-radius: 4px; }
  .row:hover, .row.here { background: var(--color-lamp-100); }
  .bar { width: 5px; height: 18px; background: var(--color-hair); border-radius: 2px; display: flex; align-items: flex-end; overflow: hidden; flex-shrink: 0; }
  .bar span { width: 100%; background: #b4610b; }
</style>
