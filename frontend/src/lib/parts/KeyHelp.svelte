<script lang="ts">
  import { Modal } from 'flowbite-svelte';

  let { open = $bindable(false) }: { open: boolean } = $props();
  const groups: [string, [string, string][]][] = [
    ['Doubts', [['] / [', 'next, previous doubt'], ['Alt ] / Alt [', 'the same while a word is in hand'], ['Enter', 'accept what is read, or keep the correction, and go on'], ['1 – 9', 'take what is offered; Alt with the digit while typing'], ['Alt K', 'the other places that were misread the same'], ['Alt L', 'put the word on the batch’s list; with Shift on that of all batches'], ['Alt I / Alt U / Alt S', 'illegible, uncertain, supplied'], ['Ctrl Z', 'undo, and the word in hand again'], ['Alt T / Alt M', 'of a word changed twice at once: what stands there, mine'], ['V', 'slips: many doubtful words at once'], ['Tab', 'next word of the lifted line'], ['Esc', 'put the line down']]],
    ['Writing (a word in hand)', [['↑ / ↓', 'the line above, beneath'], ['← / →', 'beyond a word’s end into the next one'], ['Backspace / Delete', 'at a word’s beginning or end: join it, or the line, with the next'], ['Ctrl B I U . ,', 'bold, italic, underlined, raised, lowered'], ['Ctrl Shift X K . ,', 'struck out, small capitals, larger, smaller'], ['Alt C', 'characters that the keyboard lacks; the letter again goes on to its next variant'], ['Ctrl Enter', 'the line ends before the word'], ['Ctrl Shift Enter / Alt Backspace', 'a block begins with this line, goes on with the one before'], ['Alt G', 'the word is in the language last chosen; on to the next'], ['Alt Enter', 'put in a line beneath that was not read; with Shift above'], ['B / Alt B', 'text over the ink, both in turn'], ['Alt A', 'these as buttons']]],
    ['Page', [['PgDn / PgUp', 'turn the page'], ['+ / − / 0', 'larger, smaller, fit to width'], ['9', 'whole page'], ['hold O', 'the original under the pointer'], ['drag', 'move the page']]],
    ['Blocks', [['↑ / ↓', 'previous, next block'], ['Alt ↑ / Alt ↓', 'earlier, later in the reading order'], ['1 – 6', 'heading'], ['P I C Q L E F X', 'paragraph, list item, caption, quotation, address, note, figure, artifact'], ['Enter', 'open or lift the block'] ]],
    ['Cleaning', [['hold U', 'the whole untouched scan'], ['S', 'seam between scan and cleaned page'], ['C', 'contact sheet of all pages'], ['Shift / Ctrl click', 'pick pages in the ribbon'], ['arrows', 'move a handle; with Shift further'], ['Ctrl Z', 'take back the last change of the treatment']]],
    ['By hand (Read)', [['D T K G', 'draw a block, take out an area, cut, thread'], ['X', 'redact an area: it is in nothing that is delivered'], ['Shift drag', 'draw freely'], ['Shift / Ctrl click', 'choose blocks besides; in Tag a role key is for all of them'], ['M', 'merge those'], ['R', 'read the block again'], ['Delete', 'remove it; its ink stays'], ['Tab', 'to the handles, the cells, the lines of a table'], ['arrows', 'move a handle or a line; with Shift further'], ['+ / Delete', 'a line of a table more or less'], ['Enter', 'write in a cell']]],
    ['Structure (Tag)', [['O', 'headings and bookmarks at one look'], ['Tab / Shift Tab', 'a list item deeper, less deep; Esc lets it go'], ['T', 'a stroke between a caption and its picture'], ['B', 'a bookmark to the block in hand, or around words'], ['D', 'describe pictures one after the other'], ['Alt → / Alt ←', 'among headings and bookmarks: deeper, higher'], ['A', 'among headings: all set alike'], ['F2', 'rename a bookmark']]],
    ['Check', [['J', 'go through what a person must judge'], ['D', 'describe pictures one after the other; Alt D is decorative'], ['Enter / N / B / G', 'it does: signed off; next, before, go there'], ['L', 'listen, pause'], ['. / ,', 'next, the one before'], ['H I T P K', 'next heading, list item, cell, picture, link; with Shift the one before']]],
    ['Bundle', [['↑ / ↓', 'entry before, next; with Shift picked besides'], ['Alt ↑ / Alt ↓', 'earlier, later in the running order'], ['Alt → / Alt ←', 'deeper, less deep'], ['Enter / Delete', 'write its title; take it out'], ['Alt 1 – 5', 'shelf, sheets, marks, numbers, deliver'], ['PgDn / PgUp', 'turn the sheet'], ['H S A N', 'on a sheet: words, side line, area, note'], ['↑ ↓ Enter', 'on a sheet: pick a block, mark it'], ['+ / − / 0', 'on a sheet: larger, smaller, all of it']]],
    ['Deliver', [['Alt 1 – 9', 'deliver by a set'], ['1 – 3', 'in the sample: as scanned, balanced, smallest']]],
    ['Everywhere', [['Ctrl Z / Ctrl Shift Z', 'undo, redo'], ['Ctrl F', 'find and replace'], ['?', 'this list']]],
  ];
</script>

<Modal bind:open title="Keys" size="lg" class="bg-paper" outsideclose>
  <div class="grid grid-cols-2 gap-x-8 gap-y-4">
    {#each groups as [title, keys] (title)}
      <section>
        <h3 class="m-0 mb-1 text-base font-bold text-ink">{title}</h3>
        <dl class="m-0 grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 text-sm text-ink">
          {#each keys as [key, what] (key)}<dt><span class="key">{key}</span></dt><dd class="m-0">{what}</dd>{/each}
        </dl>
      </section>
    {/each}
  </div>
</Modal>
