<script lang="ts">
  import { scanning, type Area } from '../bench/scanning.svelte';

  /** What lies on the glass, and which part of it is wanted: drawn on the preview or told in millimetres. */
  const size = $derived(scanning.now?.flatbed ?? null);
  const crop = $derived(scanning.wish.crop ?? null);
  let board = $state<HTMLDivElement>();
  let from: { x: number; y: number } | null = null;

  const round = (v: number) => Math.round(v * 2) / 2;
  function place(event: PointerEvent): { x: number; y: number } {
    const box = board!.getBoundingClientRect();
    const share = (v: number, low: number, length: number) => Math.min(1, Math.max(0, (v - low) / length));
    return { x: share(event.clientX, box.left, box.width) * size!.width, y: share(event.clientY, box.top, box.height) * size!.height };
  }

  function down(event: PointerEvent) {
    if (!size || !board) return;
    board.setPointerCapture(event.pointerId);
    from = place(event);
  }

  function move(event: PointerEvent) {
    if (!from || !size) return;
    const to = place(event);
    const area: Area = { left: round(Math.min(from.x, to.x)), top: round(Math.min(from.y, to.y)), width: round(Math.abs(to.x - from.x)), height: round(Math.abs(to.y - from.y)) };
    if (area.width >= 5 && area.height >= 5) scanning.set({ crop: area });
  }

  function type(key: keyof Area, value: number) {
    if (!size || !Number.isFinite(value)) return;
    const area = { ...(crop ?? { left: 0, top: 0, width: size.width, height: size.height }), [key]: value };
    area.left = Math.min(Math.max(0, area.left), size.width - 5);
    area.top = Math.min(Math.max(0, area.top), size.height - 5);
    area.width = Math.min(Math.max(5, area.width), size.width - area.left);
    area.height = Math.min(Math.max(5, area.height), size.height - area.top);
    scanning.set({ crop: area });
  }

  const FIELDS: [keyof Area, string][] = [['left', 'from left'], ['top', 'from top'], ['width', 'wide'], ['height', 'high']];
</script>

{#if size}
  <div class="glass">
    <div class="board" bind:this={board} role="img" aria-label="The glass" style:aspect-ratio="{size.width} / {size.height}" onpointerdown={down} onpointermove={move} onpointerup={() => (from = null)}>
      {#if scanning.glass}<img src={scanning.glass} alt="" draggable="false" />{/if}
      {#if crop}<div class="crop" style:left="{(100 * crop.left) / size.width}%" style:top="{(100 * crop.top) / size.height}%" style:width="{(100 * crop.width) / size.width}%" style:height="{(100 * crop.height) / size.height}%"></div>{/if}
    </div>
    <div class="told">
      <button class="do" disabled={scanning.previewing || !scanning.now} onclick={() => void scanning.preview()}>{scanning.previewing ? 'Looking…' : 'Look at the glass'}</button>
      <p class="text-quiet m-0 text-sm">Draw what is wanted on the picture, or tell it in millimetres.</p>
      <div class="fields">
        {#each FIELDS as [key, name] (key)}
          <label>{name} <input type="number" min="0" max="2000" step="0.5" value={crop?.[key] ?? (key === 'width' ? size.width : key === 'height' ? size.height : 0)} onchange={(e) => type(key, e.currentTarget.valueAsNumber)} /></label>
        {/each}
      </div>
      {#if crop}<button onclick={() => scanning.set({ crop: null })}>The whole sheet</button>{/if}
    </div>
  </div>
{/if}

<style>
  .glass { display: flex; gap: 18px; padding: 16px 20px; background: #b8c4bf; border-bottom: 1px solid var(--color-hair); min-height: 0; }
  .board { position: relative; height: 330px; background: #26302e; box-shadow: inset 0 0 0 6px #8fa39c; cursor: crosshair; touch-action: none; user-select: none; overflow: hidden; }
  .board img { width: 100%; height: 100%; object-fit: fill; pointer-events: none; }
  .crop { position: absolute; outline: 2px dashed #fff; box-shadow: 0 0 0 9999px #12312fa6; pointer-events: none; }
  .told { display: flex; flex-direction: column; gap: 10px; max-width: 260px; align-items: flex-start; }
  .fields { display: grid; grid-template-columns: 1fr 1fr; gap: 6px 12px; }
  .fields label { font-size: 14px; display: flex; flex-direction: column; }
  input { width: 100px; border: 1px solid #7b8a86; border-radius: 5px; padding: 2px 8px; background: #fff; }
  button { border: 1px solid #7b8a86; border-radius: 6px; background: #fff; padding: 3px 10px; min-height: 26px; }
  .do { font-weight: 700; }
</style>
