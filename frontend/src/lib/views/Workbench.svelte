<script lang="ts">
  import { bench, linesOf } from '../bench/bench.svelte';
  import { typing } from '../bench/keys';
  import { isArtifact, ROLES } from '../bench/roles';
  import type { Role } from '../api/client';
  import Sheet from '../parts/Sheet.svelte';
  import Ribbon from '../parts/Ribbon.svelte';
  import Script from '../parts/Script.svelte';
  import Steps from '../parts/Steps.svelte';
  import ContactSheet from '../parts/ContactSheet.svelte';
  import Languages from '../parts/Languages.svelte';
  import DoubtWalk from '../parts/DoubtWalk.svelte';
  import ReadThrough from '../parts/ReadThrough.svelte';

  const content = $derived(bench.page?.content ?? null);

  function moveSelection(by: 1 | -1) {
    const regions = content?.regions ?? [];
    if (!regions.length) return;
    const at = regions.findIndex((r) => r.id === bench.region);
    const next = regions[Math.min(Math.max(at < 0 ? (by > 0 ? 0 : regions.length - 1) : at + by, 0), regions.length - 1)];
    if (next) bench.select(next.id);
  }

  function moveBlock(by: 1 | -1) {
    const regions = content?.regions ?? [];
    const at = regions.findIndex((r) => r.id === bench.region);
    const to = at + by;
    if (at < 0 || to < 0 || to >= regions.length) return;
    const before = by < 0 ? regions[to]?.id : (regions[to + 1]?.id ?? null);
    void bench.edit({ op: 'move', region_id: regions[at]!.id, before: before ?? null }, 'Move block');
  }

  function onKey(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || bench.contact) return;
    const region = bench.selectedRegion;
    if (event.key === 'PageDown') bench.goPage(bench.pageIndex + 1);
    else if (event.key === 'PageUp') bench.goPage(bench.pageIndex - 1);
    else if (event.key === 'End' && !event.altKey) bench.goPage((bench.document?.pages.length ?? 1) - 1);
    else if (event.key === 'Home' && !event.altKey) bench.goPage(0);
    else if (event.key === ']') void bench.step(1);
    else if (event.key === '[') void bench.step(-1);
    else if (event.key === 'Escape') bench.unselect();
    else if (event.key.toLowerCase() === 'c' && !event.altKey && (bench.stage === 'clean' || !region)) bench.contact = true;
    else if (event.altKey && event.key === 'ArrowUp') moveBlock(-1);
    else if (event.altKey && event.key === 'ArrowDown') moveBlock(1);
    else if (event.key === 'ArrowDown') moveSelection(1);
    else if (event.key === 'ArrowUp') moveSelection(-1);
    else if (event.key === 'Enter' && region && (event.target as HTMLElement).tagName !== 'BUTTON') {
      const first = linesOf(region)[0]?.words[0];
      if (first) bench.select(region.id, bench.word ?? first.id, true);
    } else if (region && !event.altKey && (bench.stage === 'tag' || bench.stage === 'proof')) {
      const role = ROLES.find((r) => r.key && r.key === event.key.toLowerCase());
      if (!role) return;
      void bench.edit({ op: 'set_role', region_id: region.id, role: role.role as Role }, `Make it ${role.name.toLowerCase()}`);
    } else return;
    event.preventDefault();
  }

  const ordered = $derived((content?.regions ?? []).filter((r) => !isArtifact(r.role)));
</script>

<svelte:window onkeydown={onKey} />

{#if bench.contact}
  <ContactSheet />
{:else if bench.stage === 'check'}
  <ReadThrough />
{:else}
  <div class="grid h-full grid-cols-[minmax(0,1fr)_20rem]">
    <div class="flex min-h-0 min-w-0 flex-col">
      <Sheet page={bench.page} {ordered} />
      <Ribbon />
    </div>
    <aside class="bg-paper border-hair flex min-h-0 flex-col border-l" aria-label="Beside the sheet">
      {#if bench.stage === 'clean'}<Steps />
      {:else if bench.stage === 'read'}<Languages />
      {:else}<DoubtWalk /><Script />{/if}
    </aside>
  </div>
{/if}
