<script lang="ts">
  import type { Page } from '../api/client';

  let { page, pointer, scale, origin }: {
    page: Page; pointer: { x: number; y: number }; scale: number; origin: { x: number; y: number };
  } = $props();
  const RADIUS = 130;
  const LARGER = 1.6;

  // The original is laid under the glass by the inverse of the cleaning, so that it lies straight beneath the page.
  const matrix = $derived.by(() => {
    const [a, b, c, d, e, f] = page.to_original as number[];
    const det = a! * e! - b! * d!;
    const s = scale * LARGER;
    const px = (pointer.x - origin.x) / scale;
    const py = (pointer.y - origin.y) / scale;
    const inverse = [e! / det, -d! / det, -b! / det, a! / det, (b! * f! - c! * e!) / det, (c! * d! - a! * f!) / det];
    const [ia, ib, ic, id, ie, iF] = inverse as [number, number, number, number, number, number];
    return `matrix(${ia * s},${ib * s},${ic * s},${id * s},${(ie - px) * s + RADIUS},${(iF - py) * s + RADIUS})`;
  });
</script>

<div class="loupe" style:left="{pointer.x - RADIUS}px" style:top="{pointer.y - RADIUS}px" style:width="{RADIUS * 2}px" style:height="{RADIUS * 2}px" aria-hidden="true">
  <img src={page.original} alt="" style:transform={matrix} width={page.original_size?.[0]} height={page.original_size?.[1]} />
</div>

<style>
  .loupe { position: absolute; border-radius: 50%; overflow: hidden; pointer-events: none; background: #222; border: 5px solid var(--color-primary-900); box-shadow: 0 6px 24px #0007; }
  .loupe img { position: absolute; left: 0; top: 0; transform-origin: 0 0; max-width: none; }
</style>
