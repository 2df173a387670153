<script lang="ts">
  import { onMount, tick } from 'svelte';
  import { about } from '../bench/about.svelte';
  import { desk } from '../bench/desk.svelte';
  import { writing } from '../bench/writing.svelte';

  /** Characters that a keyboard may lack: variants of the letter before the caret, those of the languages, signs. */
  let { letter, language, onpick, onclose }: { letter: string; language: string | null; onpick: (character: string, instead: boolean) => void; onclose: () => void } = $props();
  let box = $state<HTMLDivElement>();

  onMount(() => {
    void writing.needCharacters().then(tick).then(() => {
      buttons()[0]?.focus();
      box?.closest('[data-lifted]')?.scrollIntoView({ block: 'nearest' });
    });
  });

  const told = $derived(writing.characters);
  const variants = $derived([...(told?.variants[letter] ?? '')].sort((a, b) => Number(own.includes(b)) - Number(own.includes(a))));
  const own = $derived(language ? (told?.languages[language] ?? '') : '');
  const languages = $derived([...new Set([language, ...(desk.page?.languages ?? []), ...(desk.document?.languages ?? [])])].filter((l): l is string => !!l && !!told?.languages[l]));
  /** Capitals where the letter in hand is one. */
  const cased = (letters: string) => [...(letter && letter !== letter.toLowerCase() ? letters.toUpperCase() : letters)].filter((c, i, all) => all.indexOf(c) === i);
  const groups = $derived([
    ...(variants.length ? [{ name: `like ${letter}`, letters: variants, instead: true }] : []),
    ...languages.map((l) => ({ name: about.languageName(l), letters: cased(told?.languages[l] ?? ''), instead: false })),
    ...Object.entries(told?.signs ?? {}).map(([name, letters]) => ({ name, letters: [...letters], instead: false })),
  ]);
  const shown = (c: string) => (c === '\u00a0' ? '␣' : c === '\u2009' ? '┈' : c === '\u202f' ? '⍽' : c);
  const called = (c: string) => (c === '\u00a0' ? 'no-break space' : c === '\u2009' ? 'thin space' : c === '\u202f' ? 'narrow no-break space' : c);
  const buttons = () => [...(box?.querySelectorAll<HTMLButtonElement>('button') ?? [])];

  function onKey(event: KeyboardEvent) {
    const all = buttons();
    const at = all.indexOf(document.activeElement as HTMLButtonElement);
    const here = all[at]?.getBoundingClientRect();
    const to = (index: number) => all[(index + all.length) % all.length]?.focus();
    if (event.key === 'Escape') onclose();
    else if (event.key === 'ArrowRight') to(at + 1);
    else if (event.key === 'ArrowLeft') to(at - 1);
    else if (here && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
      const by = event.key === 'ArrowDown' ? 1 : -1;
      const beyond = all.filter((b) => (b.getBoundingClientRect().top - here.top) * by > 4);
      const row = beyond.length ? (by > 0 ? beyond[0] : beyond.at(-1))!.getBoundingClientRect().top : null;
      beyond.filter((b) => Math.abs(b.getBoundingClientRect().top - (row ?? 0)) < 4).sort((a, b) => Math.abs(a.getBoundingClientRect().left - here.left) - Math.abs(b.getBoundingClientRect().left - here.left))[0]?.focus();
    } else if (letter && event.key === letter && variants.length) to((at + 1) % variants.length);
    else if (event.key !== 'Enter' && event.key !== ' ' && event.key !== 'Tab') return;
    else if (event.key === 'Tab') return;
    else all[at]?.click();
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div bind:this={box} class="palette" role="dialog" aria-label="Characters" tabindex="-1" onkeydown={onKey}>
  {#if !told}<p role="status">…</p>{/if}
  {#each groups as group (group.name)}
    <div class="group" role="group" aria-label={group.name}>
      <span>{group.name}</span>
      <div>{#each group.letters as c (c)}<button lang={about.languageTag(language)} title={called(c)} aria-label={called(c)} onclick={() => onpick(c, group.instead)}>{shown(c)}</button>{/each}</div>
    </div>
  {/each}
  <p class="tip">{variants.length ? `${letter} again goes on to the next; ` : ''}arrows and Enter, Esc closes</p>
</div>

<style>
  .palette { max-height: 230px; overflow: auto; border-top: 1px dashed var(--color-hair); padding: 4px 8px; background: #fffdf7; }
  .group { display: flex; gap: 8px; align-items: baseline; padding: 2px 0; }
  .group > span { flex: 0 0 110px; font-size: 13px; color: var(--color-quiet); text-align: end; }
  .group > div { display: flex; flex-wrap: wrap; gap: 2px; }
  button { min-width: 28px; border: 1px solid var(--color-hair); border-radius: 4px; background: #fff; color: var(--color-ink); font-size: 17px; padding: 0 5px; }
  button:focus { outline: 3px solid var(--color-lamp-500); background: var(--color-lamp-100); }
  p { margin: 2px 0; font-size: 13px; color: var(--color-quiet); }
</style>
