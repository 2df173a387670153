<script lang="ts">
  import { linesOf, readAgain } from '../bench/content';
  import { about } from '../bench/about.svelte';
  import type { Line, PageContent, Region } from '../api/client';

  /** The text at its ink's place and size, for comparing both by eye; words that were read otherwise a second time are marked. */
  let { content, only = null }: { content: PageContent; only?: { region: Region; line: Line } | null } = $props();
  const rows = $derived(
    only ? [only] : [...(content.regions ?? []), ...(content.artifacts ?? [])].filter((r) => r.kind !== 'figure').flatMap((region) => linesOf(region).map((line) => ({ region, line }))),
  );
  /** Letters rise so far over the baseline as their ink does. */
  const level = (line: Line, x: number) => {
    const [[x0, y0], [x1, y1]] = line.baseline as [[number, number], [number, number]];
    return x1 !== x0 ? y0 + ((y1 - y0) / (x1 - x0)) * (x - x0) : y0;
  };
</script>

<g class="text-over" aria-hidden="true">
  {#each rows as { region, line }, i (`${region.id}.${i}`)}
    {#each line.words as w (w.id)}
      {@const [l, t, r, b] = w.box}
      <rect class:differs={readAgain(w)} x={l - 3} y={Math.min(t, b - line.height) - 2} width={r - l + 6} height={Math.max(b - t, line.height) + 4} />
      <text x={about.rightToLeft(region.language) ? r : l} y={level(line, (l + r) / 2)} font-size={line.height * 0.86} textLength={Math.max(1, r - l)} lengthAdjust="spacingAndGlyphs"
        direction={about.rightToLeft(region.language) ? 'rtl' : 'ltr'} class={(w.style ?? []).join(' ')}>{w.text}</text>
    {/each}
  {/each}
</g>

<style>
  rect { fill: #fffdf7; }
  rect.differs { fill: var(--color-lamp-300); }
  text { fill: #14302d; font-family: var(--font-sans); }
  .bold { font-weight: 700; }
  .italic { font-style: italic; }
  .underlined { text-decoration: underline; }
  .small_capitals { font-variant: small-caps; }
</style>
