<script lang="ts">
  import type { Page } from '../api/client';
  import { writing } from '../bench/writing.svelte';
  import TextOverInk from './TextOverInk.svelte';

  let { page, pointer, scale, origin }: {
    page: Page; pointer: { x: number; y: number }; scale: number; origin: { x: number; y: number };
  } = $props();
  /** Where a place of the cleaned page lies on the original: shifted by the mesh, then a plane transform. */
  function toOriginal(page: Page, x: number, y: number): [number, number] {
    const mesh = page.mesh;
    if (mesh) {
      const c = Math.min(Math.max(x / mesh.step, 0), mesh.columns - 1.001), r = Math.min(Math.max(y / mesh.step, 0), mesh.rows - 1.001);
      const i = Math.floor(c), j = Math.floor(r), u = c - i, v = r - j;
      const at = (row: number, column: number, k: number) => mesh.shifts[(row * mesh.columns + column) * 2 + k]!;
      const shift = [0, 1].map((k) => (at(j, i, k) * (1 - u) + at(j, i + 1, k) * u) * (1 - v) + (at(j + 1, i, k) * (1 - u) + at(j + 1, i + 1, k) * u) * v);
      x += shift[0]!;
      y += shift[1]!;
    }
    const m = page.to_original as number[];
    const w = m[6]! * x + m[7]! * y + m[8]!;
    return [(m[0]! * x + m[1]! * y + m[2]!) / w, (m[3]! * x + m[4]! * y + m[5]!) / w];
  }

  const RADIUS = 130;
  const LARGER = 1.6;

  // The original is laid under the glass by the inverse of the cleaning, so that it lies straight beneath the page.
  const matrix = $derived.by(() => {
    const s = scale * LARGER;
    const px = (pointer.x - origin.x) / scale;
    const py = (pointer.y - origin.y) / scale;
    // Perspective and bends are straight enough within the glass: the way there is taken as linear at its middle.
    const here = toOriginal(page, px, py), right = toOriginal(page, px + 4, py), down = toOriginal(page, px, py + 4);
    const a = (right[0] - here[0]) / 4, d = (right[1] - here[1]) / 4, b = (down[0] - here[0]) / 4, e = (down[1] - here[1]) / 4;
    const c = here[0] - a * px - b * py, f = here[1] - d * px - e * py;
    const det = a * e - b * d || 1;
    const [ia, ib, ic, id, ie, iF] = [e / det, -d / det, -b / det, a / det, (b * f - c * e) / det, (c * d - a * f) / det];
    return `matrix(${ia * s},${ib * s},${ic * s},${id * s},${(ie - px) * s + RADIUS},${(iF - py) * s + RADIUS})`;
  });
</script>

<div class="loupe" style:left="{pointer.x - RADIUS}px" style:top="{pointer.y - RADIUS}px" style:width="{RADIUS * 2}px" style:height="{RADIUS * 2}px" aria-hidden="true">
  {#if writing.over && page.content}
    {@const s = scale * LARGER}
    <svg width={RADIUS * 2} height={RADIUS * 2} viewBox="{(pointer.x - origin.x) / scale - RADIUS / s} {(pointer.y - origin.y) / scale - RADIUS / s} {(2 * RADIUS) / s} {(2 * RADIUS) / s}"><TextOverInk content={page.content} /></svg>
  {/if}
  <img src={page.original} alt="" style:transform={matrix} width={page.original_size?.[0]} height={page.original_size?.[1]} />
</div>

<style>
  .loupe { position: absolute; border-radius: 50%; overflow: hidden; pointer-events: none; background: #222; border: 5px solid var(--color-primary-900); box-shadow: 0 6px 24px #0007; }
  .loupe svg { position: absolute; inset: 0; z-index: 1; }
  .loupe img { position: absolute; left: 0; top: 0; transform-origin: 0 0; max-width: none; }
</style>
