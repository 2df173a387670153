<script lang="ts">
  import { about } from '../bench/about.svelte';
  import { Checkbox } from 'flowbite-svelte';
  
  let { value = $bindable([]), compact = false }: { value: string[]; compact?: boolean } = $props();
  const automatic = $derived(value[0] === 'auto');

  function toggle(code: string) {
    const told = value.filter((c) => c !== 'auto');
    value = told.includes(code) ? told.filter((c) => c !== code) : [...told, code].slice(-4);
    if (!value.length) value = ['auto'];
  }
</script>

<fieldset class="m-0 border-0 p-0">
  <legend class="mb-1 p-0 text-sm font-bold">Languages <span class="text-quiet font-normal">(up to four, the main one first)</span></legend>
  <div class="grid gap-x-4 gap-y-1" class:grid-cols-2={compact} class:grid-cols-4={!compact}>
    <Checkbox checked={automatic} onchange={() => (value = automatic ? ['eng'] : ['auto'])}>Automatic</Checkbox>
    {#each about.languages as language (language.code)}
      {@const at = automatic ? -1 : value.indexOf(language.code)}
      <Checkbox checked={at >= 0} onchange={() => toggle(language.code)}>
        {language.name}{#if at >= 0 && value.length > 1}<span class="text-quiet ml-1">{at + 1}</span>{/if}
      </Checkbox>
    {/each}
  </div>
</fieldset>
