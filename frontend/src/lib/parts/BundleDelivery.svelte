<script lang="ts">
  import { Button, Checkbox } from 'flowbite-svelte';
  import { api, type BundleChange } from '../api/client';
  import { bundle } from '../bench/bundle.svelte';
  import { remember, remembered } from '../bench/keys';
  import { notices } from '../bench/notices.svelte';
  import { sized } from '../bench/sizes';
  import { counted } from '../bench/words';

  type Kind = 'pdf' | 'docx' | 'xlsx' | 'supplement';
  const KINDS: [Kind, string][] = [['pdf', 'The bundle, PDF'], ['supplement', 'A supplement: what has changed'], ['docx', 'The index, DOCX'], ['xlsx', 'The index, XLSX']];
  const PHASES: Record<string, string> = { documents: 'Documents made', 'putting together': 'Documents put together', numbering: 'Pages numbered', saving: 'Saving' };
  let kinds = $state<Kind[]>(JSON.parse(remembered('bundle.kinds', '["pdf"]')));
  let volumes = $state<'one' | 'pages' | 'size'>(remembered('bundle.volumes', 'one') as 'one');
  let pages = $state(Number(remembered('bundle.pages', '500')));
  let megabytes = $state(Number(remembered('bundle.megabytes', '20')));
  let changes = $state.raw<BundleChange[]>([]);

  const told = $derived(bundle.told!);
  const busy = $derived(told.work?.state === 'running' || told.work?.state === 'waiting');
  const wanted = $derived(kinds.filter((k) => k !== 'supplement' || told.issued));

  $effect(() => {
    if (!told.issued || !told.changed) {
      changes = [];
      return;
    }
    let late = false; // what was asked for before the bundle changed again
    void notices.attempt(async () => {
      const fresh = await api.bundleChanges(bundle.id);
      if (!late) changes = fresh;
    });
    return () => void (late = true);
  });

  function choose(kind: Kind) {
    kinds = kinds.includes(kind) ? kinds.filter((k) => k !== kind) : [...kinds, kind];
    remember('bundle.kinds', JSON.stringify(kinds));
  }

  function make() {
    remember('bundle.volumes', volumes);
    remember('bundle.pages', String(pages));
    remember('bundle.megabytes', String(megabytes));
    const most_pages = volumes === 'pages' ? pages : 0, most_megabytes = volumes === 'size' ? megabytes : 0;
    void bundle.change((id) => api.makeBundle(id, { kinds: wanted, most_pages, most_megabytes, made_by: remembered('made-by', '') }));
  }

  const stop = () => void bundle.change((id) => api.stopBundle(id));
  const forget = (id: number) => notices.attempt(async () => {
    await api.forgetBundleFile(id);
    await bundle.reload();
  });
  const show = (at: number) => {
    bundle.side = 'sheet';
    void bundle.go(at);
  };
</script>

<div class="all">
  <section>
    <h2>Make</h2>
    <div class="kinds">
      {#each KINDS as [key, name] (key)}
        <Checkbox checked={kinds.includes(key)} disabled={key === 'supplement' && !told.issued} onchange={() => choose(key)}>{name}</Checkbox>
      {/each}
    </div>
    <fieldset disabled={!kinds.includes('pdf')}>
      <legend class="sr">Volumes</legend>
      <label><input type="radio" name="volumes" value="one" bind:group={volumes} /> in one file</label>
      <label><input type="radio" name="volumes" value="pages" bind:group={volumes} /> in volumes of at most <input class="short" type="number" min="2" max="1000000" bind:value={pages} aria-label="Pages of a volume" onfocus={() => (volumes = 'pages')} /> pages</label>
      <label><input type="radio" name="volumes" value="size" bind:group={volumes} /> of at most <input class="short" type="number" min="1" max="100000" bind:value={megabytes} aria-label="Megabytes of a volume" onfocus={() => (volumes = 'size')} /> MB; each has the whole index</label>
    </fieldset>
    <div class="row">
      {#if busy && told.work}
        {@const work = told.work}
        <div class="flex-1" role="status">
          <progress value={work.total ? work.done / work.total : undefined} aria-label="How far it is"></progress>
          <span class="text-quiet">{PHASES[work.phase] ?? 'Beginning'}{work.total > 1 ? ` ${work.done} of ${work.total}` : ''}</span>
        </div>
        <Button color="alternative" onclick={stop}>Stop</Button>
      {:else}
        <Button disabled={!wanted.length || !bundle.sheets.length} onclick={make}>Make {wanted.length > 1 ? `${wanted.length} files` : 'it'}</Button>
        {#if told.work?.state === 'failed'}<p role="alert" class="m-0 text-lamp-700">{told.work.reason}</p>
        {:else if told.work?.state === 'cancelled'}<p class="m-0 text-quiet">It was stopped; what was made before is as it was.</p>{/if}
      {/if}
    </div>
  </section>
  {#if told.files.length}
    <section>
      <h2>Files</h2>
      <ul class="files">
        {#each told.files as f (f.id)}
          <li>
            <span class="told">
              <a href="/api/bundle-files/{f.id}/file" download={f.name}>{f.name}</a>
              <span class="text-quiet">{f.pages ? `${counted(f.pages, 'page')}, ` : ''}{sized(f.size)}, {new Date(f.made * 1000).toLocaleString()}{#if f.kind !== 'supplement'}, <b class:text-lamp-700={!f.current} class:text-primary-700={f.current}>{f.current ? 'up to date' : 'out of date'}</b>{/if}</span>
              {#each f.volume > 1 ? [] : f.remarks as remark (remark)}<span class="text-lamp-700">{remark}</span>{/each}
            </span>
            <Button size="xs" color="alternative" aria-label="Take {f.name} off the list" onclick={() => void forget(f.id)}>Take off</Button>
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  {#if told.issued}
    <section>
      <h2>Since it was delivered on {new Date(told.issued * 1000).toLocaleString()}</h2>
      {#if !changes.length}<p class="m-0 text-quiet">Nothing has changed.</p>{/if}
      <ul class="changes" aria-label="What has changed">
        {#each changes as c, i (i)}
          <li><b>{c.says}</b> <span>{c.title}</span>{#if c.before} <span class="text-quiet">before: {c.before}</span>{/if}
            {#if c.labels}{#if c.sheet >= 0}<button class="plain stub" onclick={() => show(c.sheet)}>{c.labels}</button>{:else}<span class="stub">{c.labels}</span>{/if}{/if}</li>
        {/each}
      </ul>
    </section>
  {/if}
</div>

<style>
  .all { height: 100%; overflow-y: auto; background: var(--color-paper); padding: 4px 20px 20px; }
  section { padding: 12px 0; border-bottom: 1px solid var(--color-hair); display: flex; flex-direction: column; gap: 10px; }
  section:last-child { border: 0; }
  h2 { margin: 0; font-size: 17px; }
  .kinds { display: grid; grid-template-columns: 1fr 1fr; gap: 6px 14px; }
  fieldset { border: 0; margin: 0; padding: 0; display: flex; flex-direction: column; gap: 5px; }
  fieldset label { display: flex; gap: 8px; align-items: center; }
  fieldset:disabled { opacity: 0.6; }
  input[type='radio'] { accent-color: var(--color-primary-600); width: 18px; height: 18px; }
  .short { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; padding: 2px 8px; width: 6em; font-size: 15px; color: var(--color-ink); }
  .row { display: flex; gap: 12px; align-items: center; }
  progress { width: 100%; height: 10px; accent-color: var(--color-primary-600); display: block; }
  .files, .changes { list-style: none; margin: 0; padding: 0; }
  .files li { display: flex; gap: 12px; align-items: center; padding: 6px 0; border-bottom: 1px solid #e4e9e6; }
  .files .told { flex: 1; min-width: 0; display: flex; flex-direction: column; }
  .files a { font-weight: 700; color: var(--color-primary-800); overflow-wrap: anywhere; }
  .changes li { display: flex; gap: 10px; padding: 4px 0; border-bottom: 1px solid #e4e9e6; flex-wrap: wrap; }
  .stub { font-family: var(--font-mono); font-weight: 700; font-size: 14px; margin-left: auto; }
  button.stub { text-decoration: underline; }
</style>
