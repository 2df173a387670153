<script lang="ts">
  import { counted } from '../bench/words';
  import { desk } from '../bench/desk.svelte';
  import { notices } from '../bench/notices.svelte';
  import { sized } from '../bench/sizes';
  import { remember, remembered } from '../bench/keys';
  import { view } from '../bench/view.svelte';
  import { about } from '../bench/about.svelte';
  import { Button, Modal, Progressbar } from 'flowbite-svelte';
  import Ledger from '../parts/Ledger.svelte';
  import { api, Refused, upload, type Batch, type DocumentSummary, type Particulars } from '../api/client';
  
  let { batch }: { batch: Batch } = $props();
  let over = $state(false);
  let only = $state('');
  let sending = $state<{ count: number; done: number; share: number } | null>(null);
  let stopping: AbortController | null = null;
  let picker: HTMLInputElement;
  let picked = $state<number[]>([]);
  let joining = $state(false);
  let clearing = $state(false);
  const chosen = $derived(batch.documents.filter((d) => picked.includes(d.id)));
  let together = $state(false);
  let inOrder = $state(remembered('bring.order', 'name'));
  let tables = $state<HTMLInputElement>();
  let told = $state<{ told: number; unused: string[] } | null>(null);

  const names = new Intl.Collator(undefined, { numeric: true, sensitivity: 'base' });
  function ordered(files: File[]): File[] {
    if (inOrder === 'name') return files.sort((a, b) => names.compare(a.name, b.name));
    return inOrder === 'date' ? files.sort((a, b) => a.lastModified - b.lastModified) : files;
  }

  async function join() {
    joining = false;
    const those = chosen.map((d) => d.id);
    picked = [];
    await act(() => api.joinDocuments(batch.id, those));
  }

  const FIELDS: [keyof Particulars, string][] = [['reference', 'Reference number'], ['author', 'Author'], ['subject', 'Subject'], ['keywords', 'Keywords'], ['rights', 'Rights'], ['date', 'Date']];
  const NOTHING: Particulars = { author: '', subject: '', keywords: '', reference: '', rights: '', date: '' };
  let telling = $state(false);
  let title = $state('');
  let particulars = $state<Particulars>({ ...NOTHING });

  function beginTelling() {
    title = chosen.length === 1 ? chosen[0]!.title : '';
    particulars = { ...NOTHING, reference: chosen.length === 1 ? chosen[0]!.reference : '' };
    telling = true;
  }

  async function tellThem() {
    telling = false;
    await act(() => api.tellDocuments(batch.id, chosen.map((d) => d.id), chosen.length === 1 ? title : '', $state.snapshot(particulars) as Particulars));
    notices.notify(`${counted(chosen.length, 'document')} told; each can undo it`);
  }

  async function clear() {
    clearing = false;
    const those = chosen.map((d) => d.id);
    picked = [];
    await act(async () => { for (const id of those) await api.deleteDocument(id); });
  }

  async function tell(file: File | undefined) {
    if (!file) return;
    await act(async () => {
      told = await api.tellByTable(batch.id, file);
      if (!told.unused.length) notices.notify(`${counted(told.told, 'document')} told by ${file.name}`);
    });
  }

  let leaving = $state<DocumentSummary | null>(null);

  const pages = $derived(batch.documents.reduce((n, d) => n + d.pages, 0));
  const read = $derived(batch.progress['read']?.['done'] ?? 0);
  const busy = $derived(batch.documents.reduce((n, d) => n + d.busy, 0));
  const stopped = $derived(Object.values(batch.progress).reduce((n, s) => n + (s['cancelled'] ?? 0) + (s['failed'] ?? 0), 0));
  const share = $derived.by(() => {
    const all = Object.entries(batch.progress).filter(([stage]) => ['bring_in', 'clean', 'read'].includes(stage));
    const total = pages * 3;
    const done = all.reduce((n, [, states]) => n + (states['done'] ?? 0), 0);
    return total ? Math.min(100, Math.round((100 * done) / total)) : 0;
  });

  /** One after the other, so that each is told and none holds up the rest. */
  async function send(files: FileList | File[] | null | undefined) {
    const list = ordered([...(files ?? [])]);
    if (!list.length) return;
    if (sending) {
      notices.notify('Files are still on their way; drop these when they are in.', 'refused');
      return;
    }
    const whole = Math.max(1, list.reduce((n, f) => n + f.size, 0));
    const stop = (stopping = new AbortController());
    let bytes = 0, refused = 0;
    const came: number[] = [];
    sending = { count: list.length, done: 0, share: 0 };
    await notices.attempt(async () => {
      for (const [at, file] of list.entries()) {
        const told = (s: number) => (sending = { count: list.length, done: at, share: (bytes + s * file.size) / whole });
        try {
          if (file.size > (about.told?.largest_file ?? Infinity)) throw new Refused(413, 'Too large', `${file.name} is larger than the limit of ${sized(about.told!.largest_file)}.`);
          const { documents, problems } = await upload(batch.id, [file], only, told, stop.signal);
          came.push(...documents);
          refused += problems.length;
          for (const p of problems) if (p.locked) locked = { ...locked, [p.id]: file };
        } catch (error) {
          // What is wrong with one file is no other's trouble; a server that does not answer is everyone's.
          if (!(error instanceof Refused) || error.status === 0 || error.status === 507) throw error;
          notices.report(error);
          refused++;
        }
        bytes += file.size;
      }
    });
    if (together && came.length > 1) await notices.attempt(() => api.joinDocuments(batch.id, came));
    if (refused) notices.notify(`${refused} of ${counted(list.length, 'file')} could not be brought in`, 'refused');
    sending = null;
    await desk.refresh();
  }

  /** Files that open with a password, by their problem: kept here so that they need not be found again. */
  let locked = $state.raw<Record<number, File>>({});
  let passwords = $state<Record<number, string>>({});

  async function unlock(problem: number) {
    const file = locked[problem], password = passwords[problem];
    if (!file || !password) return;
    await notices.attempt(async () => {
      const { problems } = await upload(batch.id, [file], only, () => {}, undefined, password);
      await api.dismissProblem(batch.id, problem);
      const left = { ...locked };
      delete left[problem];
      delete passwords[problem];
      for (const p of problems) if (p.locked) left[p.id] = file;
      locked = left;
      if (problems[0]) notices.notify(`${file.name}: ${problems[0].reason}`, 'refused');
    });
    await desk.refresh();
  }

  function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    void send(event.dataTransfer?.files);
  }

  async function removeDocument() {
    const document = leaving;
    leaving = null;
    if (!document) return;
    await notices.attempt(async () => {
      await api.deleteDocument(document.id);
      await desk.refresh();
    });
  }

  async function act(action: () => Promise<unknown>) {
    await notices.attempt(async () => {
      await action();
      await desk.refresh();
    });
  }
</script>

<div class="flex h-full gap-6 p-6" role="region" aria-label="Bring in"
  ondragover={(e) => { e.preventDefault(); over = true; }} ondragleave={() => (over = false)} ondrop={drop}>
  <section class="bg-paper flex min-w-0 flex-1 flex-col rounded-lg shadow-sm">
    <header class="border-hair flex items-center gap-4 border-b px-5 py-3">
      <h1 class="m-0 flex-1 text-xl font-bold">{batch.name}</h1>
      {#if batch.left.words}<span class="text-quiet" title="Between {batch.left.between[0]} and {batch.left.between[1]}, nineteen times of twenty">about {Math.round(batch.left.expected).toLocaleString()} wrong of {batch.left.words.toLocaleString()} words</span>{/if}
      <span class="text-quiet">{counted(batch.documents.length, 'document')}, {counted(pages, 'page')}; languages: {batch.languages.map((l) => about.languageName(l)).join(', ')}</span>
    </header>
    {#if batch.paused}
      <div class="border-hair flex items-center gap-4 border-b px-5 py-2" role="status">
        <span class="flex-1">Paused: {busy ? `${counted(busy, 'task')} of this batch wait` : 'nothing of this batch is worked on'}.</span>
        <Button size="sm" onclick={() => act(() => api.pause(batch.id, false))}>Go on</Button>
      </div>
    {:else if busy > 0}
      <div class="border-hair flex items-center gap-4 border-b px-5 py-2" role="status">
        <div class="flex-1"><Progressbar progress={share} size="h-3" color="primary" labelOutside="{read} of {pages} pages read" /></div>
        <Button size="sm" color="alternative" onclick={() => act(() => api.pause(batch.id, true))}>Pause</Button>
        <Button size="sm" color="alternative" onclick={() => act(() => api.cancel(batch.id))}>Stop</Button>
      </div>
    {:else if stopped > 0}
      <div class="border-hair flex items-center gap-4 border-b px-5 py-2" role="status">
        <span class="flex-1">{stopped} {stopped === 1 ? 'task' : 'tasks'} stopped or failed.</span>
        <Button size="sm" onclick={() => act(() => api.retryAll(batch.id))}>Go on</Button>
      </div>
    {/if}
    {#if batch.documents.length === 0}
      <p class="text-quiet p-8 text-center">No documents yet. Drop files anywhere on this page.</p>
    {:else}
      {#if chosen.length}
        <div class="border-hair bg-primary-50 flex items-center gap-3 border-b px-5 py-2" role="group" aria-label="Picked documents">
          <b class="flex-1">{counted(chosen.length, 'document')} picked</b>
          <Button size="sm" disabled={chosen.length < 2} onclick={() => (joining = true)}>Join into one</Button>
          <Button size="sm" color="alternative" onclick={beginTelling}>Tell of {chosen.length === 1 ? 'it' : 'them'}…</Button>
          <Button size="sm" color="alternative" onclick={() => (clearing = true)}>Remove</Button>
          <Button size="sm" color="alternative" onclick={() => (picked = [])}>Pick none</Button>
        </div>
      {/if}
      <Ledger documents={batch.documents} bind:picked onremove={(d) => (leaving = d)} onarrange={(order) => act(() => api.orderDocuments(batch.id, order))} />
    {/if}
  </section>
  <aside class="flex w-80 shrink-0 flex-col gap-4 overflow-auto">
    <div class="drop" class:over>
      <p class="m-0 text-lg font-bold">{over ? 'Let go to bring them in' : 'Drop files here'}</p>
      <p class="text-quiet my-1">PDF, images, office files, HTML, e-mail, and ZIP files of these; several at once. What they are is told from their content.</p>
      <Button onclick={() => picker.click()}>Choose files</Button>
      <label class="text-quiet mt-3 block text-sm">Pages of each file, as 1-3, 7 (empty: all)
        <input class="only" bind:value={only} pattern="[0-9 ,–-]*" />
      </label>
      <label class="mt-3 flex items-center justify-center gap-2 text-sm"><input type="checkbox" class="accent-primary-600" bind:checked={together} /> all into one document</label>
      <label class="text-quiet mt-2 block text-sm">Several files in order
        <select class="only" bind:value={inOrder} onchange={() => remember('bring.order', inOrder)}><option value="name">by name, 9 before 10</option><option value="date">by date, oldest first</option><option value="picked">as they were picked</option></select>
      </label>
      <input bind:this={picker} id="files" type="file" multiple hidden accept=".pdf,.tif,.tiff,.jpg,.jpeg,.png,.jp2,.j2k,.jpx,.webp,.heic,.heif,.bmp,.gif,.docx,.docm,.doc,.odt,.rtf,.xlsx,.xls,.ods,.pptx,.ppt,.odp,.html,.htm,.eml,.zip"
        onchange={(e) => { void send(e.currentTarget.files); e.currentTarget.value = ''; }} />
      {#if sending}
        <div class="mt-3" role="status">
          <Progressbar progress={Math.round(sending.share * 100)} size="h-2" />
          <span class="text-sm">File {sending.done + 1} of {sending.count}</span>
          <Button size="xs" color="alternative" class="ml-3" onclick={() => stopping?.abort()}>Stop</Button>
        </div>
      {/if}
    </div>
    <button class="scan" onclick={() => void view.goBatch(batch.id, 'scan')}><b>Scan sheets</b><span>from the feeder or the glass of a scanner, into this batch</span></button>
    {#if about.told?.watches}
      <div class="bg-paper rounded-lg p-4 text-sm shadow-sm" role="group" aria-label="Watched folder">
        <label class="flex items-center gap-2 font-bold"><input type="checkbox" class="accent-primary-600" checked={batch.inbox !== null} onchange={(e) => void act(() => api.watchFolder(batch.id, e.currentTarget.checked))} /> Watch a folder</label>
        {#if batch.inbox}
          <p class="my-1">What is put into <b class="break-all">{batch.inbox}</b> comes into this batch when it is complete, and then lies in its <i>done</i>, or in <i>problems</i> with the reason beside it.</p>
          {#if batch.inbox_away}<p class="text-lamp-700 m-0">The folder cannot be read now; it is looked for all the time.</p>{/if}
        {:else}<p class="text-quiet my-1">Files that are put into it come into this batch by themselves.</p>{/if}
      </div>
    {/if}
    {#if batch.documents.length}
      <div class="bg-paper rounded-lg p-4 text-sm shadow-sm">
        <b>Titles and reference numbers from a table</b>
        <p class="text-quiet my-1">A CSV file; its first line names the columns: file, and any of title, reference, author, subject, keywords, rights, date.</p>
        <Button size="xs" color="alternative" onclick={() => tables?.click()}>Choose the table</Button>
        <input bind:this={tables} id="table" type="file" hidden accept=".csv,.txt,.tsv" onchange={(e) => { void tell(e.currentTarget.files?.[0]); e.currentTarget.value = ''; }} />
      </div>
    {/if}
    {#if batch.problems.length || batch.failed.length}
      <section class="bg-paper rounded-lg p-4 shadow-sm" aria-label="Problems">
        <h2 class="m-0 mb-2 text-base font-bold">Not brought in</h2>
        <ul class="m-0 flex list-none flex-col gap-2 p-0 text-sm">
          {#each batch.problems as p (p.id)}
            <li class="flex gap-2"><span class="flex-1"><b class="break-all">{p.file}</b>: {p.reason}.</span>
              <button class="plain" aria-label="Dismiss {p.file}" onclick={() => act(() => api.dismissProblem(batch.id, p.id))}>✕</button></li>
            {#if locked[p.id]}
              <li><form class="flex gap-2" onsubmit={(e) => { e.preventDefault(); void unlock(p.id); }}>
                <input class="only" type="password" autocomplete="off" bind:value={passwords[p.id]} placeholder="its password" aria-label="Password of {p.file}" />
                <Button size="xs" type="submit" disabled={!passwords[p.id]}>Open</Button>
              </form></li>
            {/if}
          {/each}
          {#each batch.failed as f (f.id)}
            <li><b class="break-all">{f.file}{f.page ? `, page ${f.page}` : ''}</b> ({f.stage.replace('_', ' ')}): {f.reason}</li>
          {/each}
        </ul>
      </section>
    {/if}
  </aside>
</div>

<Modal open={leaving !== null} onclose={() => (leaving = null)} title="Remove this document?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">“{leaving?.name}” goes with its corrections. This cannot be undone.</p>
  <div class="flex gap-2"><Button color="red" onclick={removeDocument}>Remove</Button><Button color="alternative" onclick={() => (leaving = null)}>Keep</Button></div>
</Modal>

<Modal bind:open={joining} title="Join {counted(chosen.length, 'document')} into one?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">Their pages, with all that was decided on them, go behind those of “{chosen[0]?.name}”, in the order of the list; its title and particulars stay, those of the others go. It can be split again on the contact sheet.</p>
  <div class="flex gap-2"><Button onclick={join}>Join</Button><Button color="alternative" onclick={() => (joining = false)}>Leave them</Button></div>
</Modal>

<Modal bind:open={telling} title="Tell of {chosen.length === 1 ? chosen[0]!.name : counted(chosen.length, 'document')}" size="sm" class="bg-paper">
  <form class="text-ink flex flex-col gap-2" onsubmit={(e) => { e.preventDefault(); void tellThem(); }}>
    {#if chosen.length === 1}<label>Title <input class="only" maxlength="500" bind:value={title} /></label>{/if}
    {#each FIELDS as [key, name] (key)}<label>{name} <input class="only" maxlength="200" bind:value={particulars[key]} /></label>{/each}
    <p class="text-quiet m-0 text-sm">What is left empty stays as it is.</p>
    <div class="flex gap-2"><Button type="submit">Tell</Button><Button color="alternative" onclick={() => (telling = false)}>Leave</Button></div>
  </form>
</Modal>

<Modal bind:open={clearing} title="Remove {counted(chosen.length, 'document')}?" size="sm" class="bg-paper">
  <p class="m-0 text-ink">They go with their corrections. This cannot be undone.</p>
  <div class="flex gap-2"><Button color="red" onclick={clear}>Remove</Button><Button color="alternative" onclick={() => (clearing = false)}>Keep</Button></div>
</Modal>

<Modal open={(told?.unused.length ?? 0) > 0} onclose={() => (told = null)} title="{counted(told?.told ?? 0, 'document')} told" size="md" class="bg-paper">
  <p class="m-0 text-ink">These lines are of no use:</p>
  <ul class="text-ink m-0 max-h-80 overflow-auto text-sm">{#each told?.unused ?? [] as line (line)}<li>{line}</li>{/each}</ul>
</Modal>

<style>
  .drop { border: 2px dashed var(--color-primary-400); border-radius: 10px; padding: 22px; background: #eef3f1; text-align: center; }
  .scan { display: flex; flex-direction: column; gap: 2px; padding: 14px 22px; border: 2px solid var(--color-primary-600); border-radius: 10px; background: var(--color-paper); color: var(--color-ink); text-align: left; }
  .scan b { font-size: 18px; }
  .scan span { color: var(--color-quiet); }
  .scan:hover { background: #eef3f1; }
  .only { width: 100%; border: 1px solid #7b8a86; border-radius: 5px; background-color: #fff; color: var(--color-ink); padding: 4px 8px; }
  .drop.over { background: var(--color-lamp-100); border-color: var(--color-lamp-700); }
</style>
