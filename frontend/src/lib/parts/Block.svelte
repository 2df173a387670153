<script lang="ts">
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { about } from '../bench/about.svelte';
  import { edits } from '../bench/edits.svelte';
  import { findRegion, textOf } from '../bench/content';
  import { api, type LikePicture, type Region, type Role } from '../api/client';
  import { notices } from '../bench/notices.svelte';
  import { headings } from '../bench/headings.svelte';
  import { view } from '../bench/view.svelte';
  import { shaping } from '../bench/shaping.svelte';
  import { inTurn } from '../bench/turns';
  import { beforePaint } from '../bench/later';
  import { look, subjectName } from '../bench/roles';

  let { region, order }: { region: Region; order: number | null } = $props();
  let element = $state<HTMLElement>();
  // The page may be turned before a field is left; what was typed belongs to this one.
  const pageId = desk.page?.id;
  let draft = $state<string | null>(null);
  let description = $state<string | null>(null);

  const open = $derived(selection.region === region.id && desk.page?.id === pageId); // ids repeat from page to page
  const l = $derived(look(region.role));
  const text = $derived(textOf(region));
  const own = $derived((desk.page?.doubts ?? []).filter((d) => d.region_id === region.id));
  const rtl = $derived(about.rightToLeft(region.language));
  const pictured = $derived(region.kind === 'figure' || region.kind === 'formula');
  const summary = $derived(pictured ? (region.alternative_text ?? (text || `${region.subject ? subjectName(region.subject) : 'Picture'}, not described`)) : (region.table ? text.replaceAll('\n', ' · ') : text).slice(0, 90) || '(no text)');

  $effect(() => {
    if (open) return beforePaint(() => element?.scrollIntoView({ block: 'nearest' }));
  });

  function setRole(event: Event) {
    const role = (event.currentTarget as HTMLSelectElement).value as Role;
    void edits.edit({ op: 'set_role', region_id: region.id, role });
  }

  async function saveText() {
    const typed = draft;
    if (typed === null || typed === text) {
      draft = null;
      return;
    }
    if (await edits.edit({ op: 'set_text', region_id: region.id, text: typed }, false, pageId)) draft = null;
  }

  const explains = $derived(findRegion(desk.page?.content, desk.page?.captioned?.[region.id] ?? null));
  let alike = $state.raw<LikePicture[]>([]);
  $effect(() => {
    if (!open || region.kind !== 'figure' || !region.look || pageId === undefined) return;
    const id = region.id;
    void api.like(pageId, id).then((found) => region.id === id && (alike = found)).catch(() => undefined);
  });

  async function describeAlike() {
    const id = desk.document?.id;
    if (id === undefined || pageId === undefined) return;
    const text = (description ?? region.alternative_text ?? '').trim();
    await inTurn(() => notices.attempt(async () => {
      const changed = await api.describeAlike(id, { page: pageId, region: region.id, text, decorative: !text });
      desk.apply(changed);
      description = null;
      notices.notify(`Described at ${alike.length + 1} places`);
    }));
  }

  /** Of the text, what is selected. */
  let picked = $state('');
  let data = $state<string | null>(null);
  const asText = (rows: string[][]) => rows.map((row) => row.join(' | ')).join('\n');
  async function saveData() {
    const typed = data;
    if (typed === null || typed === asText(region.data ?? [])) {
      data = null;
      return;
    }
    const rows = typed.split('\n').filter((line) => line.trim()).map((line) => line.split(/\||\t/).map((cell) => cell.trim()));
    if (await edits.edit({ op: 'set_data', region_id: region.id, rows }, false, pageId)) data = null;
  }

  async function saveDescription() {
    const typed = description;
    if (typed === null || typed.trim() === (region.alternative_text ?? '')) {
      description = null;
      return;
    }
    if (await edits.edit({ op: 'set_alternative', region_id: region.id, text: typed, decorative: false }, false, pageId)) description = null;
  }
</script>

<article bind:this={element} class:open class="block" data-region={region.id}>
  <button class="plain head" aria-expanded={open} onclick={() => (open ? selection.clear() : selection.select(region.id))}>
    <span class="sign" aria-label={l.name} title={l.name}>{l.sign}</span>
    <span class="words" class:heading={l.sign.startsWith('H')} dir={rtl ? 'rtl' : 'ltr'}>{summary}</span>
    {#if own.length}<span class="count" aria-label="{own.length} doubts">{own.length}</span>{:else if order}<span class="order">{order}</span>{/if}
  </button>
  {#if open}
    <div class="body">
      <div class="flex gap-2">
        <label class="flex-1"><span class="sr">Role</span>
          <select value={region.role} onchange={setRole}>
            {#each about.rolesFor(region.kind) as r (r)}<option value={r}>{look(r).name}</option>{/each}
          </select>
        </label>
        {#if !pictured}
          <label><span class="sr">Language</span>
            <select value={region.language ?? ''} onchange={(e) => void edits.edit({ op: 'set_language', region_id: region.id, language: e.currentTarget.value })}>
              {#each about.languages as x (x.code)}<option value={x.code}>{x.name}</option>{/each}
            </select>
          </label>
        {/if}
      </div>
      {#if pictured}
        <label class="text-sm font-bold" for="alternative-{region.id}">Description</label>
        <textarea id="alternative-{region.id}" rows="3" value={description ?? region.alternative_text ?? ''} placeholder={region.kind === 'formula' ? `As a person would say it; now spoken as “${text.replaceAll('\n', ' ')}”` : 'What it shows, and of a chart its data'}
          oninput={(e) => (description = e.currentTarget.value)} onblur={saveDescription}
          onkeydown={(e) => { if (e.key === 'Enter' && !e.shiftKey) { e.preventDefault(); void edits.settleThenNext(async () => { await saveDescription(); return true; }); } }}></textarea>
        {#if alike.length}<p class="text-quiet m-0 text-sm">The same picture stands at {alike.length === 1 ? 'another place' : `${alike.length} other places`}. <button class="act" disabled={!(description ?? region.alternative_text ?? '').trim() && !about.isArtifact(region.role)} onclick={() => void describeAlike()}>Describe all alike</button></p>{/if}
        {#if region.kind === 'figure'}
          <details class="text-sm" open={(region.data ?? []).length > 0}>
            <summary class="cursor-pointer">Data of a chart{(region.data ?? []).length ? `, ${region.data!.length} rows` : ''}</summary>
            <textarea rows="4" aria-label="Data, a row a line" placeholder={'Year | Lamps\n1921 | 14'} value={data ?? asText(region.data ?? [])} oninput={(e) => (data = e.currentTarget.value)} onblur={saveData}></textarea>
            <span class="text-quiet">A row a line, with | or tabs between; the first row names the columns. It is told with the description.</span>
          </details>
        {/if}
        {#if !about.isArtifact(region.role)}
          <button class="act" onclick={() => void edits.edit({ op: 'set_alternative', region_id: region.id, text: '', decorative: true })}>Decorative: leave it out</button>
        {/if}
      {:else if !region.table}
        <label class="sr" for="text-{region.id}">Text</label>
        <textarea id="text-{region.id}" dir={rtl ? 'rtl' : 'ltr'} lang={about.languageTag(region.language)} rows={Math.min(12, Math.max(2, text.split('\n').length + 1))}
          value={draft ?? text} oninput={(e) => (draft = e.currentTarget.value)} onblur={saveText}
          onkeydown={(e) => { if (e.key === 'Escape') { draft = null; e.currentTarget.blur(); } else if (e.key === 'Enter' && e.ctrlKey) void saveText(); }}
          onselect={(e) => (picked = e.currentTarget.value.slice(e.currentTarget.selectionStart, e.currentTarget.selectionEnd).replaceAll('\n', ' ').trim())}></textarea>
        {#if picked && view.stage === 'tag'}<button class="act" onclick={() => { void headings.add({ region: region.id, title: picked }); picked = ''; }}>Bookmark “{picked.slice(0, 24)}{picked.length > 24 ? '…' : ''}”</button>{/if}
      {:else}
        <div class="overflow-auto"><table dir={region.table.backwards ? 'rtl' : 'ltr'}>
          <tbody>
            {#each Array.from({ length: region.table.rows }, (_, r) => r) as row (row)}
              <tr>{#each region.table.cells.filter((c) => c.row === row) as c (c.column)}
                <svelte:element this={c.header ? 'th' : 'td'} colspan={c.column_span} rowspan={c.row_span}>{(c.lines ?? []).map((x) => x.words.map((w) => w.text).join(' ')).join(' ')}</svelte:element>
              {/each}</tr>
            {/each}
          </tbody>
        </table></div>
        <label class="text-sm font-bold" for="summary-{region.id}">Summary, said before the table</label>
        <textarea id="summary-{region.id}" rows="2" value={description ?? region.alternative_text ?? ''} placeholder="Only where rows and columns are hard to follow" oninput={(e) => (description = e.currentTarget.value)} onblur={saveDescription}></textarea>
        <button class="act" title="Its cells become text in reading order" onclick={() => void edits.edit({ op: 'set_kind', region_ids: [region.id], kind: 'text' })}>No table: make it text</button>
        <p class="text-quiet m-0 text-sm">Double-click a cell's ink on the sheet to correct it.</p>
      {/if}
      {#if region.role === 'caption'}
        <p class="text-quiet m-0 text-sm">{explains ? `Of the ${look(explains.role).name.toLowerCase()} ${(desk.page?.content?.regions ?? []).indexOf(explains) + 1}` : 'Of no picture or table'}
          {#if explains}<button class="act" onclick={() => void edits.edit({ op: 'tie_caption', region_id: region.id, to: null })}>Of none</button>{/if}</p>
      {/if}
      {#if region.role === 'list_item' || region.role === 'contents_entry'}
        <p class="text-quiet m-0 flex items-center gap-2 text-sm">Depth {(region.depth ?? 0) + 1} <button class="act" title="Tab" onclick={() => void shaping.nest(1)}>Deeper</button><button class="act" title="Shift Tab" disabled={!region.depth} onclick={() => void shaping.nest(-1)}>Less deep</button></p>
      {/if}
      {#if region.reason && (own.length || region.role.startsWith('heading'))}<p class="text-quiet m-0 text-sm">{region.reason}</p>{/if}
      {#if about.isArtifact(region.role)}<p class="text-quiet m-0 text-sm">Left out of the reading and of office files.</p>{/if}
    </div>
  {/if}
</article>

<style>
  .block { border-bottom: 1px solid #e2e6e2; }
  .block.open { background: #fff; box-shadow: inset 5px 0 0 var(--color-lamp-500); }
  .head { display: flex; width: 100%; gap: 8px; align-items: baseline; padding: 5px 10px; }
  .head:hover { background: var(--color-primary-50); }
  .sign { flex: 0 0 26px; text-align: center; font-weight: 700; font-size: 13px; border: 1px solid var(--color-hair); border-radius: 4px; background: #fff; color: var(--color-primary-800); }
  .words { flex: 1; min-width: 0; overflow: hidden; display: -webkit-box; -webkit-box-orient: vertical; -webkit-line-clamp: 2; line-clamp: 2; white-space: pre-line; line-height: 1.3; font-size: 14px; }
  .words.heading { font-weight: 700; }
  .order { color: var(--color-quiet); font-size: 13px; }
  .body { display: flex; flex-direction: column; gap: 8px; padding: 2px 10px 10px 14px; }
  select, textarea { width: 100%; border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; color: var(--color-ink); font-size: 14px; padding: 4px 8px; }
  select { padding-right: 26px; }
  textarea { line-height: 1.45; resize: vertical; }
  .act { align-self: start; border: 1px solid #7b8a86; background: #fff; border-radius: 5px; padding: 2px 10px; font-size: 14px; }
  .act:hover { background: var(--color-primary-50); }
  table { border-collapse: collapse; font-size: 13px; }
  th, td { border: 1px solid var(--color-hair); padding: 2px 6px; text-align: left; }
</style>
