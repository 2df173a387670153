<script lang="ts">
  import { onMount } from 'svelte';
  import { api } from '../api/client';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { counted } from '../bench/words';

  /** The words that are right whatever other lists say: of this batch, and of all batches. */
  let { onclose }: { onclose: () => void } = $props();
  const ALL = 0, SHOWN = 500;
  let list = $state(desk.document?.batch_id ?? ALL);
  let words = $state<string[]>([]);
  let typed = $state('');
  let field = $state<HTMLInputElement>();
  let file = $state<HTMLInputElement>();
  const needle = $derived(typed.trim().toLowerCase());
  const shown = $derived(needle ? words.filter((w) => w.toLowerCase().includes(needle)) : words);

  onMount(() => {
    field?.focus();
    void load();
  });

  const load = () => notices.attempt(async () => { words = await api.listed(list); });

  async function add(fresh: string[]) {
    const wanted = fresh.map((w) => w.trim()).filter(Boolean);
    if (!wanted.length) return;
    await notices.attempt(async () => {
      const told = await api.addWords(list, wanted);
      notices.notify(told.words.length ? `${counted(told.words.length, 'word')} put on the list` : 'The list had them already');
      typed = '';
      await load();
      await desk.refresh();
    });
  }

  async function remove(word: string) {
    await notices.attempt(async () => {
      await api.removeWord(list, word);
      words = words.filter((w) => w !== word);
    });
  }

  async function bring(event: Event) {
    const input = event.currentTarget as HTMLInputElement;
    const chosen = input.files?.[0];
    input.value = '';
    if (chosen) await add((await chosen.text()).split(/[\r\n]+/));
  }
</script>

<div class="panel" role="dialog" aria-label="Word lists" tabindex="-1" onkeydown={(e) => { if (e.key === 'Escape') { e.stopPropagation(); onclose(); } }}>
  <div class="head"><b>Words that are right</b><button aria-label="Close (Esc)" onclick={onclose}>✕</button></div>
  <div class="row">
    <label>List of <select bind:value={list} onchange={() => void load()}>{#if desk.document}<option value={desk.document.batch_id}>this batch</option>{/if}<option value={ALL}>all batches</option></select></label>
    <span class="quiet">{counted(words.length, 'word')}</span>
  </div>
  <form class="row" onsubmit={(e) => { e.preventDefault(); void add(typed.split(/\s+/)); }}>
    <input bind:this={field} bind:value={typed} aria-label="A word" placeholder="Find, or add a word" spellcheck="false" />
    <button disabled={!needle || words.some((w) => w.toLowerCase() === needle)}>Add</button>
  </form>
  <ul aria-label="Words of the list">
    {#each shown.slice(0, SHOWN) as word (word)}
      <li><bdi>{word}</bdi> <button aria-label="Take “{word}” off the list" title="Take it off the list" onclick={() => void remove(word)}>✕</button></li>
    {/each}
    {#if shown.length > SHOWN}<li class="quiet">and {(shown.length - SHOWN).toLocaleString()} more; type to find one</li>{/if}
    {#if !shown.length}<li class="quiet">{words.length ? 'None like that.' : 'No words yet: Alt L puts a doubtful word on the list.'}</li>{/if}
  </ul>
  <div class="row">
    <button onclick={() => file?.click()}>From a text file…</button>
    <input bind:this={file} hidden type="file" accept=".txt,.dic,text/plain" aria-label="A word a line" onchange={(e) => void bring(e)} />
    <a href="/api/word-lists/{list}" download="words-{list ? 'batch' : 'all'}.txt">Save as text</a>
    <span class="quiet">a word a line</span>
  </div>
</div>

<style>
  .panel { position: fixed; z-index: 30; top: 62px; right: 10px; width: 25rem; max-height: calc(100vh - 80px); display: flex; flex-direction: column; gap: 8px; background: var(--color-paper); border: 1px solid #7b8a86; border-radius: 8px; box-shadow: 0 8px 30px #0005; padding: 10px 14px 14px; font-size: 15px; }
  .head, .row { display: flex; align-items: center; gap: 8px; margin: 0; }
  .head { justify-content: space-between; }
  .head button, li button { border: 0; background: transparent; padding: 0 8px; }
  .row select { padding: 2px 26px 2px 8px; border-radius: 5px; font-size: 14px; }
  .row input { flex: 1; border: 1px solid #7b8a86; border-radius: 5px; padding: 3px 8px; min-width: 0; }
  .row button, .row a { border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; color: var(--color-ink); padding: 3px 12px; text-decoration: none; }
  ul { margin: 0; padding: 0; list-style: none; overflow: auto; border: 1px solid var(--color-hair); border-radius: 5px; background: #fff; min-height: 120px; }
  li { display: flex; justify-content: space-between; padding: 1px 8px; border-bottom: 1px solid #eef1ee; }
  .quiet { color: var(--color-quiet); }
</style>
