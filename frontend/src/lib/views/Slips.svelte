<script lang="ts">
  import { onMount, tick } from 'svelte';
  import { Spinner } from 'flowbite-svelte';
  import type { Slip } from '../api/client';
  import { about } from '../bench/about.svelte';
  import { ahead } from '../bench/ahead.svelte';
  import { desk } from '../bench/desk.svelte';
  import { history } from '../bench/history.svelte';
  import { slips, type By } from '../bench/slips.svelte';
  import { view } from '../bench/view.svelte';
  import { counted } from '../bench/words';

  const HEIGHT = 34; // pixels of a slip's ink
  const WIDEST = 260;
  let typed = $state<Record<string, string>>({});
  let board = $state<HTMLDivElement>();
  const keyOf = (s: Slip) => `${s.page}.${s.key}`;
  const value = (s: Slip) => typed[keyOf(s)] ?? s.text;
  const groups = $derived.by(() => {
    const found: { key: string; name: string; count: number; column: boolean; slips: { slip: Slip; at: number }[] }[] = [];
    slips.list.forEach((slip, at) => {
      const last = found.at(-1);
      if (last?.key === slip.group) last.slips.push({ slip, at });
      else found.push({ key: slip.group, name: nameOf(slip), count: slip.many, column: slip.group !== '' && slip.alike.startsWith('column '), slips: [{ slip, at }] });
    });
    return found;
  });

  function nameOf(s: Slip): string {
    if (s.group === '') return 'Each by itself';
    if (slips.by === 'words') return `“${s.text}”`;
    if (s.alike.startsWith('column ')) return `Figures of a table on page ${s.position + 1}, ${s.alike}`;
    if (s.alike === 'figures') return 'Figures';
    if (s.alike === 'unknown') return 'Words that no list knows';
    if (s.alike === 'other') return 'Others';
    const [one, other] = s.alike.split('/');
    if (s.alike.includes('/')) return one && other ? `“${one}” or “${other}”` : `“${one || other}” or nothing`;
    return `“${s.alike}” is not clear`;
  }

  function ink(s: Slip) {
    if (!s.box || !s.size) return '';
    const [l, t, r, b] = s.box, aside = (b - t) * 0.35;
    const k = Math.min(HEIGHT / (b - t + aside), WIDEST / (r - l + 2 * aside));
    return `width:${(r - l + 2 * aside) * k}px;height:${(b - t + aside) * k}px;background-image:url(${s.image});background-size:${s.size[0] * k}px ${s.size[1] * k}px;background-position:${-(l - aside) * k}px ${-(t - aside / 2) * k}px`;
  }

  const offers = $derived(slips.here ? (ahead.helpFor(slips.here.page, slips.here.word, slips.here.text)?.suggestions ?? []) : []);

  onMount(() => {
    if (!slips.list.length) void slips.show();
    else slips.go(slips.at);
  });

  // The slip in hand has the keys.
  $effect(() => {
    const key = slips.here && keyOf(slips.here);
    if (key) void tick().then(() => {
      const field = board?.querySelector<HTMLInputElement>('.slip.here input');
      if (!field || document.activeElement === field || document.activeElement?.closest('[role="dialog"]')) return;
      field.focus({ preventScroll: true });
      field.select();
      field.closest('.slip')?.scrollIntoView({ block: 'nearest' });
    });
  });

  function settle(slip: Slip, all: boolean, text = value(slip).trim()) {
    delete typed[keyOf(slip)];
    const chosen = all ? slips.groupOf(slip) : [slip];
    void slips.settle(chosen, text === slip.text || !text ? null : text);
  }

  /** Up and down go to the slip that is seen there. */
  function vertical(by: 1 | -1) {
    const all = [...(board?.querySelectorAll<HTMLElement>('.slip') ?? [])];
    const here = board?.querySelector<HTMLElement>('.slip.here')?.getBoundingClientRect();
    if (!here) return;
    const beyond = all.map((e) => ({ e, r: e.getBoundingClientRect() })).filter((o) => (o.r.top - here.top) * by > 4);
    const row = by > 0 ? Math.min(...beyond.map((o) => o.r.top)) : Math.max(...beyond.map((o) => o.r.top));
    const next = beyond.filter((o) => Math.abs(o.r.top - row) < 4).sort((a, b) => Math.abs(a.r.left - here.left) - Math.abs(b.r.left - here.left))[0];
    if (next) slips.go(Number(next.e.dataset['at']));
  }

  function open(slip: Slip) {
    slips.close();
    void view.goPage(slip.position).then(() => view.takeWord(slip.word));
  }

  function onKey(event: KeyboardEvent, slip: Slip, at: number) {
    const field = event.currentTarget as HTMLInputElement;
    const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1];
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey && !event.shiftKey;
    const offered = digit && (event.altKey || (plain && typed[keyOf(slip)] === undefined && !/\d/.test(slip.text))) ? offers[Number(digit) - 1] : undefined;
    const untouched = typed[keyOf(slip)] === undefined;
    const edge = (left: boolean) => untouched && (field.selectionStart === 0 || field.selectionEnd === field.value.length) && (field.selectionStart !== field.selectionEnd || field.selectionStart === (left ? 0 : field.value.length));
    if (offered) settle(slip, event.shiftKey, offered);
    else if (event.key === 'Enter') settle(slip, event.shiftKey);
    else if (event.key === 'Escape' && !untouched) delete typed[keyOf(slip)];
    else if (event.key === 'Escape') slips.close();
    else if (event.key === 'ArrowDown') vertical(1);
    else if (event.key === 'ArrowUp') vertical(-1);
    else if (event.key === 'ArrowRight' && edge(false)) slips.go(at + 1);
    else if (event.key === 'ArrowLeft' && edge(true)) slips.go(at - 1);
    else if (event.key === 'F2') field.setSelectionRange(field.value.length, field.value.length);
    else if (event.altKey && event.code === 'KeyO') open(slip);
    else if (event.ctrlKey && event.key.toLowerCase() === 'z' && untouched) void history.turn(event.shiftKey ? 'redo' : 'undo').then(() => slips.again());
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const ways: [By, string][] = [['letters', 'by confused letters and columns'], ['words', 'by words that stand several times']];
</script>

<section class="slips" aria-label="Slips">
  <header>
    <h2>Slips</h2>
    <label>together <select value={slips.by} onchange={(e) => void slips.show(e.currentTarget.value as By)}>{#each ways as [id, name] (id)}<option value={id}>{name}</option>{/each}</select></label>
    <span class="told" role="status">{#if slips.doing}<progress max={slips.doing.of} value={slips.doing.done}></progress>{/if}</span>
    <span class="tip"><span class="key">Enter</span> right, <span class="key">Shift Enter</span> the whole row, type to correct, <span class="key">Alt O</span> on the sheet, <span class="key">Ctrl Z</span> back</span>
    <button onclick={() => slips.close()}>Back to the sheet <span class="key">Esc</span></button>
  </header>
  <div class="board" bind:this={board} onscroll={(e) => { const b = e.currentTarget; if (b.scrollTop + b.clientHeight > b.scrollHeight - 800) void slips.more(); }}>
    {#if !slips.list.length && slips.loading}<p class="none"><Spinner size="5" /></p>
    {:else if !slips.list.length}<p class="none">{slips.by === 'words' ? 'No doubtful word stands several times.' : 'No doubtful words are left in this document.'}</p>{/if}
    {#each groups as group, g (`${group.key}.${g}`)}
      <section class="group" style:contain-intrinsic-size="auto {group.column ? group.slips.length * 42 + 40 : Math.ceil(group.slips.length / 4) * 52 + 40}px">
        <h3>{group.name} <span>{counted(group.count, 'slip')}</span> <button onclick={() => group.slips[0] && settle(group.slips[0].slip, true, group.slips[0].slip.text)}>All right</button></h3>
        <div class:column={group.column} class="row">
          {#each group.slips as { slip, at } (keyOf(slip))}
            <div class="slip" class:here={at === slips.at} data-at={at}>
              <span class="ink" style={ink(slip)} role="presentation"></span>
              <input value={value(slip)} lang={about.languageTag(desk.document?.language)} dir="auto" aria-label="Read as {slip.text}" title={slip.reason} spellcheck="false" autocomplete="off" size={Math.max(3, value(slip).length)}
                oninput={(e) => (typed[keyOf(slip)] = e.currentTarget.value)} onfocus={() => slips.at !== at && slips.go(at)} onkeydown={(e) => onKey(e, slip, at)} />
              {#if at === slips.at && offers.length}
                <span class="offers">{#each offers as offer, i (offer)}<button onmousedown={(e) => e.preventDefault()} onclick={() => settle(slip, false, offer)}><span class="key">{i + 1}</span> <bdi>{offer}</bdi></button>{/each}</span>
              {/if}
            </div>
          {/each}
        </div>
      </section>
    {/each}
    {#if slips.loading && slips.list.length}<p class="none"><Spinner size="4" /></p>{/if}
  </div>
</section>

<style>
  .slips { height: 100%; display: flex; flex-direction: column; background: var(--color-desk); }
  header { display: flex; align-items: center; gap: 14px; padding: 6px 14px; background: var(--color-paper); border-bottom: 1px solid var(--color-hair); font-size: 14px; }
  header h2 { margin: 0; font-size: 17px; font-weight: 700; }
  header select { padding: 2px 26px 2px 8px; font-size: 14px; border-radius: 5px; }
  header button, h3 button { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; padding: 2px 10px; font-size: 14px; }
  .told { flex: 1; }
  .tip { color: var(--color-quiet); }
  .board { flex: 1; overflow: auto; padding: 10px 16px 40px; }
  .group { content-visibility: auto; margin-bottom: 10px; }
  h3 { margin: 0 0 4px; font-size: 15px; font-weight: 700; display: flex; align-items: baseline; gap: 10px; }
  h3 span { font-weight: 400; color: var(--color-quiet); font-size: 14px; }
  .row { display: flex; flex-wrap: wrap; gap: 6px; }
  .row.column { flex-direction: column; align-items: flex-start; }
  .slip { position: relative; display: flex; align-items: center; gap: 6px; background: #fffdf7; border: 1px solid var(--color-hair); border-radius: 5px; padding: 3px 6px; }
  .slip.here { outline: 3px solid var(--color-lamp-500); z-index: 2; }
  .column .slip { width: 420px; justify-content: space-between; }
  .column .slip input { text-align: end; font-variant-numeric: tabular-nums; }
  .ink { background-repeat: no-repeat; background-color: #fff; display: block; border-radius: 2px; }
  input { border: 0; border-bottom: 2px dashed #b4610b; background: transparent; font-size: 17px; padding: 2px 4px; min-width: 3em; field-sizing: content; font-family: var(--font-sans); color: var(--color-ink); }
  .offers { position: absolute; left: -3px; top: calc(100% + 3px); display: flex; gap: 3px; background: #fffdf7; border: 2px solid var(--color-primary-900); border-radius: 5px; padding: 2px 4px; white-space: nowrap; z-index: 3; }
  .offers button { border: 0; background: transparent; font-size: 15px; padding: 1px 6px; color: var(--color-ink); }
  .offers button:hover { background: var(--color-lamp-100); }
  .none { text-align: center; color: var(--color-quiet); padding: 40px; }
</style>
