<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { api, type LikePicture } from '../api/client';
  import { notices } from '../bench/notices.svelte';
  import { inTurn } from '../bench/turns';
  import { boxOf, findRegion, textOf } from '../bench/content';
  import { desk } from '../bench/desk.svelte';
  import { doubts } from '../bench/doubts.svelte';
  import { edits } from '../bench/edits.svelte';
  import { saying } from '../bench/saying.svelte';
  import { view } from '../bench/view.svelte';

  /** Pictures without a description, one after the other, each large beside its field. */
  let { onclose }: { onclose: () => void } = $props();
  const WIDTH = 262, HEIGHT = 220; // pixels of the picture
  const waiting = $derived(doubts.list.filter((d) => d.kind === 'alternative').sort((a, b) => a.position - b.position));
  let at = $state(0);
  let typed = $state('');
  let field = $state<HTMLTextAreaElement>();
  const doubt = $derived(waiting[Math.min(at, waiting.length - 1)]);
  const region = $derived(desk.page && doubt && desk.page.id === doubt.page_id ? findRegion(desk.page.content, doubt.region_id ?? null) : null);
  const key = $derived(doubt ? `${doubt.page_id}.${doubt.region_id}` : '');

  $effect(() => {
    if (!key) return;
    untrack(() => {
      typed = '';
      if (doubt) void view.goPage(doubt.position);
    });
    void tick().then(() => field?.focus());
  });

  /** What may be a start: the caption that stands nearest, and text that was read inside. */
  const starts = $derived.by(() => {
    if (!region) return [];
    const [l, t, r, b] = boxOf(region);
    const distance = (o: number[]) => Math.max(0, t - o[3]!, o[1]! - b) + Math.max(0, l - o[2]!, o[0]! - r);
    const captions = (desk.page?.content?.regions ?? []).filter((o) => o.role === 'caption').sort((a, c) => distance(boxOf(a)) - distance(boxOf(c)));
    const found: [string, string][] = [];
    if (captions[0]) found.push(['caption', textOf(captions[0]).replaceAll('\n', ' ')]);
    const inside = textOf(region).replaceAll('\n', ' ').trim();
    const near = (desk.page?.content?.regions ?? []).filter((o) => o.role === 'paragraph').sort((a, c) => distance(boxOf(a)) - distance(boxOf(c)))[0];
    if (near) found.push(['the text beside it', textOf(near).replaceAll('\n', ' ')]);
    if (inside) found.push(['what is read in it', inside]);
    return found;
  });

  const ink = $derived.by(() => {
    const page = desk.page;
    if (!region || !page?.cleaned || !page.content) return '';
    const [l, t, r, b] = boxOf(region);
    const k = Math.min(WIDTH / (r - l), HEIGHT / (b - t));
    return `width:${(r - l) * k}px;height:${(b - t) * k}px;background-image:url(${page.cleaned});background-size:${page.content.width * k}px ${page.content.height * k}px;background-position:${-l * k}px ${-t * k}px`;
  });

  async function settle(decorative: boolean) {
    if (!doubt?.region_id || (!decorative && !typed.trim())) return;
    const text = decorative ? '' : typed.trim();
    if (alike.length && everywhere && desk.document) {
      const id = desk.document.id, place = { page: doubt.page_id, region: doubt.region_id };
      await inTurn(() => notices.attempt(async () => desk.apply(await api.describeAlike(id, { ...place, text, decorative }))));
      saying.say(`${waiting.length} pictures to describe`);
    } else if (await edits.edit({ op: 'set_alternative', region_id: doubt.region_id, text, decorative }, false, doubt.page_id)) saying.say(`${waiting.length} pictures to describe`);
  }

  /** The other places of the same picture: a letterhead or seal is described once. */
  let alike = $state.raw<LikePicture[]>([]);
  let everywhere = $state(true);
  $effect(() => {
    const asked = key;
    alike = [];
    if (region?.look && doubt?.region_id) void api.like(doubt.page_id, doubt.region_id).then((found) => asked === key && (alike = found)).catch(() => undefined);
  });

  const step = (by: 1 | -1) => (at = waiting.length ? (Math.min(at, waiting.length - 1) + by + waiting.length) % waiting.length : 0);

  function onKey(event: KeyboardEvent) {
    if (event.key === 'Enter' && !event.shiftKey) void settle(false);
    else if (event.altKey && event.code === 'KeyD') void settle(true);
    else if (event.altKey && /^Digit[123]$/.test(event.code)) typed = starts[Number(event.code.slice(5)) - 1]?.[1] ?? typed;
    else if (event.altKey && event.key === ']') step(1);
    else if (event.altKey && event.key === '[') step(-1);
    else if (event.key === 'Escape') onclose();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="card" role="group" aria-label="Pictures to describe">
  {#if doubt}
    <div class="place" style={ink} role="img" aria-label="The picture on page {doubt.position + 1}"></div>
    <label>What does it show? Of a chart, give its data.
      <textarea bind:this={field} bind:value={typed} rows="3" onkeydown={onKey}></textarea>
    </label>
    {#if alike.length}<label class="row"><input type="checkbox" bind:checked={everywhere} /> at {alike.length === 1 ? 'the other place' : `the ${alike.length} other places`} of the same picture too</label>{/if}
    {#each starts as [name, text], i (name)}<p class="start"><button title="Begin with it (Alt {i + 1}); it is yours to change" onclick={() => { typed = text; field?.focus(); }}>From {name}</button> <span>{text.slice(0, 160)}</span></p>{/each}
    <p>
      <button disabled={!typed.trim()} onclick={() => void settle(false)}>Describe <span class="key">Enter</span></button>
      <button title="It says nothing to a reader; left out of what is read aloud" onclick={() => void settle(true)}>Decorative <span class="key">Alt D</span></button>
      <button onclick={() => step(1)}>Skip <span class="key">Alt ]</span></button>
      <button aria-label="Close (Esc)" onclick={onclose}>✕</button>
    </p>
    <p class="quiet">page {doubt.position + 1}, {Math.min(at, waiting.length - 1) + 1} of {waiting.length}</p>
  {:else}
    <p>All pictures are described or decorative. <button onclick={onclose}>Close</button></p>
  {/if}
</div>

<style>
  .card { border: 2px solid var(--color-primary-900); border-radius: 6px; background: #fffdf7; padding: 8px; display: flex; flex-direction: column; gap: 6px; font-size: 14px; }
  .place { background-repeat: no-repeat; background-color: #fff; border: 1px solid var(--color-hair); }
  label { display: flex; flex-direction: column; gap: 3px; font-weight: 700; }
  label.row { flex-direction: row; gap: 6px; font-weight: 400; align-items: center; }
  textarea { border: 1px solid #7b8a86; border-radius: 5px; background: #fff; padding: 4px 8px; font-size: 15px; font-weight: 400; }
  p { margin: 0; display: flex; flex-wrap: wrap; gap: 4px; align-items: baseline; }
  .start { flex-wrap: nowrap; }
  .start span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; min-width: 0; flex: 1; }
  .start button { flex: none; }
  button { border: 1px solid var(--color-hair); background: #fff; border-radius: 5px; padding: 2px 9px; font-size: 14px; }
  button:disabled { color: #6d7c78; }
  .quiet { color: var(--color-quiet); }
</style>
