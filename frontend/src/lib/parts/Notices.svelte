<script lang="ts">
  import { notices } from '../bench/notices.svelte';
  </script>

<div class="fixed bottom-4 left-4 z-50 flex flex-col gap-2" role="status" aria-live="polite">
  {#each notices.list as notice (notice.id)}
    <div class="bg-paper text-ink flex max-w-md items-start gap-3 rounded-md border-l-8 px-4 py-2 shadow-lg" style:border-color={notice.kind === 'done' ? '#2a756d' : '#a8320f'}>
      <span><b>{notice.kind === 'done' ? '' : 'Not done: '}</b>{notice.text}</span>
      <button class="plain text-quiet" aria-label="Dismiss" onclick={() => notices.dismiss(notice.id)}>✕</button>
    </div>
  {/each}
</div>
