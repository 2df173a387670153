<script lang="ts">
  import { untrack } from 'svelte';
  import Describing from './Describing.svelte';
  import Particulars from './Particulars.svelte';
  import Listener from './Listener.svelte';
  import { api, type OpenDoubt, type ToJudge } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { checking } from '../bench/checking.svelte';
  import { boxOf, findRegion } from '../bench/content';
  import { desk } from '../bench/desk.svelte';
  import { doubts } from '../bench/doubts.svelte';
  import { edits } from '../bench/edits.svelte';
  import { typing } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { view } from '../bench/view.svelte';
  import { counted, reasonOf } from '../bench/words';

  /** How the document stands, each finding with its repair, and what a person must judge, one by one. */
  const SHOWN = 200, WIDTH = 290, HEIGHT = 300; // findings; pixels of a place's ink
  let title = $state<string | null>(null);
  let judging = $state(false);
  const d = $derived(desk.document);
  const findings = $derived(doubts.list.filter((x) => x.stage === 'check' || x.stage === 'tag'));
  let describing = $state(false);
  const undescribed = $derived(findings.filter((x) => x.kind === 'alternative').length);
  const standing = $derived(checking.standing);
  const here = $derived(checking.here);

  $effect(() => {
    void [d?.id, d?.revision, d?.undo?.id, d?.doubts['check'], d?.doubts['tag']];
    untrack(() => checking.ask());
  });

  // The place that is judged comes to hand, so that its ink can be shown.
  $effect(() => {
    if (judging && here) untrack(() => void view.goPage(here.position));
  });

  /** The order that is judged, as one line through the blocks. */
  const thread = $derived.by(() => {
    const content = desk.page?.content;
    if (here?.rule !== 'order' || !content || desk.page?.id !== here.page_id) return null;
    const middles = (content.regions ?? []).map((r) => boxOf(r)).map(([l, t, r, b]) => [(l + r) / 2, (t + b) / 2] as const);
    return { size: [content.width, content.height], middles, points: middles.map((m) => m.join(',')).join(' ') };
  });

  const ink = $derived.by(() => {
    const page = desk.page;
    if (!judging || !here || page?.id !== here.page_id || !page.cleaned || !page.content) return '';
    const region = findRegion(page.content, here.region_id);
    const [l, t, r, b] = region ? boxOf(region) : [0, 0, page.content.width, page.content.height];
    const aside = region ? 20 : 0;
    const k = Math.min(WIDTH / (r - l + 2 * aside), HEIGHT / (b - t + 2 * aside));
    return `width:${(r - l + 2 * aside) * k}px;height:${(b - t + 2 * aside) * k}px;background-image:url(${page.cleaned});background-size:${page.content.width * k}px ${page.content.height * k}px;background-position:${-(l - aside) * k}px ${-(t - aside) * k}px`;
  });

  async function saveTitle() {
    if (!d || title === null || title.trim() === d.title) return;
    const typed = title;
    await notices.attempt(async () => {
      desk.document = await desk.change((id, revision) => api.changeDocument(id, { revision, title: typed }));
      title = null;
      notices.notify('Title saved');
      await desk.refresh();
    });
  }

  async function setLanguage(code: string) {
    if (!d) return;
    await notices.attempt(async () => {
      desk.document = await desk.change((id, revision) => api.changeDocument(id, { revision, language: code }));
    });
  }

  const leave = (x: OpenDoubt) => edits.edit({ op: 'accept_doubt', key: x.key }, x.pages.length > 1, x.page_id);
  const go = (j: ToJudge) => void view.goBlock('tag', j.position, j.region_id);

  function onKey(event: KeyboardEvent) {
    if (event.defaultPrevented || view.stage !== 'check' || typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    const button = (event.target as HTMLElement).closest?.('button, a, [role="button"]');
    const key = event.key.toLowerCase();
    if (key === 'j') judging = !judging;
    else if (key === 'd' && undescribed) describing = !describing;
    else if (!judging || !here) return;
    else if (key === 'enter' && !button) void checking.sign();
    else if (key === 'n') checking.step(1);
    else if (key === 'b') checking.step(-1);
    else if (key === 'g') go(here);
    else return;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={onKey} />

<aside class="bg-paper border-hair flex flex-col gap-4 overflow-auto border-l p-4" aria-label="Check">
  {#if standing}
    <section class="standing" class:fit={!standing.obstacles.length} aria-label="How it stands">
      <p class="m-0"><b>{standing.findings ? counted(standing.findings, 'finding') : 'No findings'}</b>, {standing.to_judge ? `${standing.to_judge} to judge` : 'nothing to judge'}{standing.judged ? `, ${standing.judged} signed off` : ''}.</p>
      <p class="m-0">{standing.obstacles.length ? 'Delivered like this it would not be PDF/UA.' : 'Delivered like this it would be PDF/UA.'}</p>
      {#if d}<p class="m-0 text-sm"><a class="underline" href="/api/documents/{d.id}/report" download>Report</a> (or as <a class="underline" href="/api/documents/{d.id}/report.pdf" download>PDF</a>) with findings, sign-offs and the text’s accuracy</p>{/if}
      {#if standing.obstacles.length}<ul class="m-0 pl-4 text-sm">{#each standing.obstacles as o (o)}<li>{o}</li>{/each}</ul>{/if}
    </section>
  {/if}
  <Listener />
  <label class="flex flex-col gap-1 text-sm font-bold">Title
    <input class="field" value={title ?? d?.title ?? ''} oninput={(e) => (title = e.currentTarget.value)} onblur={saveTitle} onkeydown={(e) => e.key === 'Enter' && e.currentTarget.blur()} />
  </label>
  <label class="flex flex-col gap-1 text-sm font-bold">Language of the document
    <select class="field" value={d?.language ?? ''} onchange={(e) => setLanguage(e.currentTarget.value)}>
      {#each about.languages as x (x.code)}<option value={x.code}>{x.name}</option>{/each}
    </select>
  </label>
  <Particulars />
  <section aria-label="To judge">
    <h3 class="m-0 mb-1 flex items-center gap-2 text-sm font-bold">
      <button class="step" aria-expanded={judging} disabled={!checking.toJudge.length} onclick={() => (judging = !judging)}>Judge {checking.toJudge.length} <span class="key">J</span></button>
      <label class="flex-1 font-normal">as <input class="name" value={checking.name} placeholder="your name" maxlength="80" onchange={(e) => checking.called(e.currentTarget.value)} /></label>
    </h3>
    {#if judging && here}
      <div class="card" role="group" aria-label="What is judged">
        <p class="m-0 font-bold">{here.question}</p>
        <div class="place" style={ink} role="img" aria-label="The place on page {here.position + 1}">
          {#if thread && ink}
            <svg viewBox="0 0 {thread.size[0]} {thread.size[1]}" aria-hidden="true">
              <polyline points={thread.points} />
              {#each thread.middles as [x, y], i (i)}<circle cx={x} cy={y} r={thread.size[0]! / 32} /><text {x} y={y + thread.size[0]! / 70} font-size={thread.size[0]! / 26}>{i + 1}</text>{/each}
            </svg>
          {/if}
        </div>
        {#if here.text}<p class="m-0 said"><bdi>{here.text}</bdi></p>{/if}
        <p class="m-0 text-quiet text-sm">{checking.rules.get(here.rule)?.why} ({checking.rules.get(here.rule)?.clause})</p>
        <p class="m-0 flex flex-wrap gap-1">
          <button class="step" onclick={() => void checking.sign()}>It does <span class="key">Enter</span></button>
          <button class="step" onclick={() => go(here)}>Mend it <span class="key">G</span></button>
          <button class="step" onclick={() => checking.step(1)}>Next <span class="key">N</span></button>
        </p>
        <p class="m-0 text-quiet text-sm">page {here.position + 1}, {checking.at + 1} of {checking.toJudge.length}</p>
      </div>
    {/if}
  </section>
  <section aria-label="Findings">
    {#if describing}<Describing onclose={() => (describing = false)} />
    {:else if undescribed}<p class="m-0 mb-1"><button class="step" onclick={() => (describing = true)}>Describe {counted(undescribed, 'picture')} <span class="key">D</span></button></p>{/if}
    <h3 class="m-0 mb-1 text-sm font-bold">{findings.length ? `${findings.length} to settle` : 'Nothing left to settle'}</h3>
    <ul class="m-0 flex list-none flex-col gap-2 p-0 text-sm">
      {#each findings.slice(0, SHOWN) as x (`${x.page_id}.${x.key}`)}
        {@const rule = checking.rules.get(x.kind)}
        <li class="finding">
          <span>{reasonOf(x)}{#if x.text}{' '}<b>“{x.text}”</b>{/if}</span>
          {#if rule}<details><summary class="text-quiet">{rule.clause}{rule.stops ? "; it keeps the file from being PDF/UA" : ""}</summary>{rule.why}</details>{/if}
          <span class="flex flex-wrap gap-x-3">
            {#if x.mend}<button class="plain font-bold underline" onclick={() => void checking.mend(x)}>{x.mend.label}</button>{/if}
            {#if x.region_id}<button class="plain underline" onclick={() => void view.goBlock('tag', x.position, x.region_id)}>Go there</button>{/if}
            <button class="plain underline" onclick={() => void leave(x)}>Leave as it is</button>
          </span>
        </li>
      {/each}
      {#if findings.length > SHOWN}<li class="text-quiet">and {findings.length - SHOWN} more</li>{/if}
    </ul>
  </section>
</aside>

<style>
  .standing { border: 1px solid var(--color-hair); border-left: 5px dashed #b4610b; border-radius: 5px; background: #fff; padding: 6px 10px; font-size: 15px; }
  .standing.fit { border-left: 5px solid var(--color-primary-600); }
  .field { border: 1px solid #7b8a86; border-radius: 5px; padding: 5px 9px; font-size: 15px; font-weight: 400; background-color: #fff; }
  .name { width: 9em; border: 1px solid #7b8a86; border-radius: 5px; padding: 1px 7px; font-size: 14px; background: #fff; }
  .step { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 2px 9px; font-size: 14px; font-weight: 400; }
  .step:disabled { color: #6d7c78; }
  .card { border: 2px solid var(--color-primary-900); border-radius: 6px; background: #fffdf7; padding: 8px; display: flex; flex-direction: column; gap: 6px; font-size: 15px; }
  .place { background-repeat: no-repeat; background-color: #fff; border: 1px solid var(--color-hair); }
  .place svg { width: 100%; height: 100%; display: block; }
  .place polyline { fill: none; stroke: #0a1f1e; stroke-width: 2; vector-effect: non-scaling-stroke; }
  .place circle { fill: var(--color-lamp-300); stroke: #0a1f1e; stroke-width: 1; vector-effect: non-scaling-stroke; }
  .place text { fill: #0a1f1e; text-anchor: middle; font-weight: 700; }
  .said { max-height: 7.5em; overflow: auto; white-space: pre-line; }
  .finding { display: flex; flex-direction: column; gap: 2px; border-left: 4px dashed #b4610b; padding-left: 9px; }
  details summary { cursor: pointer; font-size: 13px; min-height: 24px; line-height: 24px; }
</style>
