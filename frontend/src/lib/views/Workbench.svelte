<script lang="ts">
  import { view } from '../bench/view.svelte';
  import { desk } from '../bench/desk.svelte';
  import { selection } from '../bench/selection.svelte';
  import { about } from '../bench/about.svelte';
  import { edits } from '../bench/edits.svelte';
  import { saying } from '../bench/saying.svelte';
  import { nameOf, shaping, type Tool } from '../bench/shaping.svelte';
  import { linesOf, findRegion } from '../bench/content';
    import { typing } from '../bench/keys';
  import { ROLES } from '../bench/roles';
  import type { Role } from '../api/client';
  import Sheet from '../parts/Sheet.svelte';
  import Ribbon from '../parts/Ribbon.svelte';
  import Script from '../parts/Script.svelte';
  import Steps from '../parts/Steps.svelte';
  import { untrack } from 'svelte';
  import { slips } from '../bench/slips.svelte';
  import Slips from './Slips.svelte';
  import { headings } from '../bench/headings.svelte';
  import Headings from './Headings.svelte';
  import TagBar from '../parts/TagBar.svelte';
  import ContactSheet from '../parts/ContactSheet.svelte';
  import Languages from '../parts/Languages.svelte';
  import DoubtWalk from '../parts/DoubtWalk.svelte';
  import ReadThrough from '../parts/ReadThrough.svelte';

  const content = $derived(desk.page?.content ?? null);
  const inHand = $derived(desk.document?.id);
  $effect(() => {
    void inHand;
    untrack(() => {
      slips.close();
      headings.close();
    });
  });

  function moveSelection(by: 1 | -1) {
    const regions = content?.regions ?? [];
    if (!regions.length) return;
    const at = regions.findIndex((r) => r.id === selection.region);
    const next = regions[Math.min(Math.max(at < 0 ? (by > 0 ? 0 : regions.length - 1) : at + by, 0), regions.length - 1)];
    if (next) selection.select(next.id);
    if (next) saying.say(`${regions.indexOf(next) + 1} of ${regions.length}, ${nameOf(next)}`);
  }

  function moveBlock(by: 1 | -1) {
    const regions = content?.regions ?? [];
    const at = regions.findIndex((r) => r.id === selection.region);
    const to = at + by;
    if (at < 0 || to < 0 || to >= regions.length) return;
    const before = by < 0 ? regions[to]?.id : (regions[to + 1]?.id ?? null);
    void edits.edit({ op: 'move', region_id: regions[at]!.id, before: before ?? null });
  }

  const TOOLS: Record<string, Tool> = { d: 'draw', t: 'take_out', k: 'cut', g: 'thread', x: 'redact' };

  /** Keys of the Read stage; true where the key is one. */
  function byHand(key: string): boolean {
    const tool = TOOLS[key.toLowerCase()];
    if (tool) shaping.use(tool);
    else if (key === 'Delete' && selection.region) void shaping.remove();
    else if (key.toLowerCase() === 'm' && selection.also.length) void shaping.merge();
    else if (key.toLowerCase() === 'r' && selection.region) void shaping.read();
    else return false;
    return true;
  }

  /** Keys of the Tag stage besides the roles; true where the key is one. */
  function tagging(event: KeyboardEvent): boolean {
    const region = findRegion(desk.page?.content, selection.region);
    const key = event.key.toLowerCase();
    const nested = region && (region.role === 'list_item' || region.role === 'contents_entry');
    const onBlock = !document.activeElement || document.activeElement === document.body || !!document.activeElement.closest('.block > .head, [aria-label="Sheet"]');
    if (event.key === 'Tab' && nested && onBlock) void shaping.nest(event.shiftKey ? -1 : 1);
    else if (key === 'o') void headings.show();
    else if (key === 't') shaping.use('tie');
    else if (key === 'b' && region) void headings.add({ region: region.id });
    else if (key === 'b') shaping.use('mark');
    else if (key === 'd') shaping.describing = !shaping.describing;
    else return false;
    return true;
  }

  function onKey(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || view.contact) return;
    const region = findRegion(desk.page?.content, selection.region);
    if (slips.open && view.stage === 'proof') {
      if (event.key === 'Escape') slips.close();
      return;
    }
    if (headings.open && view.stage === 'tag') {
      if (event.key === 'Escape') headings.close();
      return;
    }
    if (event.key === 'PageDown') void view.turn(1);
    else if (event.key === 'PageUp') void view.turn(-1);
    else if (event.key === 'End' && !event.altKey) void view.goPage((desk.document?.pages.length ?? 1) - 1);
    else if (event.key === 'Home' && !event.altKey) void view.goPage(0);
    else if (event.key === ']') void edits.step(1);
    else if (event.key === '[') void edits.step(-1);
    else if (event.key === 'Escape') {
      if (!shaping.drop()) selection.clear();
    } else if (view.stage === 'read' && !event.altKey && byHand(event.key)) {
      // done there
    }
    else if (view.stage === 'tag' && !event.altKey && tagging(event)) {
      // done there
    }
    else if (event.key.toLowerCase() === 'v' && !event.altKey && view.stage === 'proof') void slips.show();
    else if (event.key.toLowerCase() === 'c' && !event.altKey && (view.stage === 'clean' || !region)) view.contact = true;
    else if (event.altKey && event.key === 'ArrowUp') moveBlock(-1);
    else if (event.altKey && event.key === 'ArrowDown') moveBlock(1);
    else if (event.key === 'ArrowDown') moveSelection(1);
    else if (event.key === 'ArrowUp') moveSelection(-1);
    else if (event.key === 'Enter' && region && (event.target as HTMLElement).tagName !== 'BUTTON') {
      const first = linesOf(region)[0]?.words[0];
      if (first) selection.select(region.id, selection.word ?? first.id, true);
    } else if (region && !event.altKey && (view.stage === 'tag' || view.stage === 'proof')) {
      const role = ROLES.find((r) => r.key && r.key === event.key.toLowerCase());
      if (!role) return;
      if (selection.also.length) void edits.edit({ op: 'set_roles', region_ids: selection.regions, role: role.role as Role });
      else void edits.edit({ op: 'set_role', region_id: region.id, role: role.role as Role });
    } else return;
    event.preventDefault();
  }

  const ordered = $derived((content?.regions ?? []).filter((r) => !about.isArtifact(r.role)));
</script>

<svelte:window
  onkeydown={onKey}
  onkeydowncapture={(event) => {
    if (edits.hold(event)) {
      event.preventDefault();
      event.stopImmediatePropagation();
    }
  }}
/>

{#if view.contact}
  <ContactSheet />
{:else if slips.open && view.stage === 'proof'}
  <Slips />
{:else if headings.open && view.stage === 'tag'}
  <Headings />
{:else if view.stage === 'check'}
  <ReadThrough />
{:else}
  <div class="grid h-full grid-cols-[minmax(0,1fr)_20rem]">
    <div class="flex min-h-0 min-w-0 flex-col">
      <Sheet page={desk.page} {ordered} />
      <Ribbon />
    </div>
    <aside class="bg-paper border-hair flex min-h-0 flex-col border-l" aria-label="Beside the sheet">
      {#if view.stage === 'clean'}<Steps />
      {:else if view.stage === 'read'}<Languages /><Script />
      {:else}<DoubtWalk />{#if view.stage === 'tag'}<TagBar />{/if}<Script />{/if}
    </aside>
  </div>
{/if}
