import { api, type Region } from '../api/client';
import { desk } from './desk.svelte';
import { textOf } from './content';
import { notices } from './notices.svelte';

/** Blocks by themselves, straight from the sheet: to the clipboard, or as a file of a format. */
export async function take(regions: Region[], how: string): Promise<void> {
  const page = desk.page, [first] = regions;
  if (!page || !first) return;
  if (how === 'clipboard') {
    await notices.attempt(async () => {
      if (regions.length > 1) await navigator.clipboard.writeText(regions.map(plain).join('\n\n'));
      else await copy(first);
      notices.notify(first.table && regions.length === 1 ? 'The table is on the clipboard' : 'The text is on the clipboard');
    });
    return;
  }
  const link = document.createElement('a');
  link.href = api.regionFile(page.id, regions.map((r) => r.id), how);
  link.download = '';
  link.click();
}

const plain = (region: Region) => (region.table ? cellRows(region).map((row) => row.join('\t')).join('\n') : paragraph(region));

async function copy(region: Region): Promise<void> {
  if (region.table && 'ClipboardItem' in window && navigator.clipboard.write) {
    const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
    const html = `<table${region.table.backwards ? ' dir="rtl"' : ''}>${region.table.cells.length ? tableRows(region, escaped) : ''}</table>`;
    await navigator.clipboard.write([new ClipboardItem({ 'text/plain': new Blob([plain(region)], { type: 'text/plain' }), 'text/html': new Blob([html], { type: 'text/html' }) })]);
  } else await navigator.clipboard.writeText(plain(region));
}

/** A paragraph's lines run on; a word broken at a line's end is joined. */
export function paragraph(region: Region): string {
  return textOf(region).replace(/(\p{L})[-‐]\n(?=\p{Ll})/gu, '$1').replaceAll('\n', ' ');
}

export function cellRows(region: Region): string[][] {
  const table = region.table;
  if (!table) return [];
  const rows = Array.from({ length: table.rows }, () => Array.from({ length: table.columns }, () => ''));
  for (const c of table.cells) rows[c.row]![table.backwards ? table.columns - c.column - (c.column_span ?? 1) : c.column] = cellText(c);
  return rows;
}

type Cell = NonNullable<Region['table']>['cells'][number];
const cellText = (c: Cell) => (c.lines ?? []).flatMap((l) => l.words.map((w) => w.text)).join(' ');

function tableRows(region: Region, escaped: (text: string) => string): string {
  const table = region.table!;
  return Array.from({ length: table.rows }, (_, r) => `<tr>${table.cells.filter((c) => c.row === r).map((c) => {
    const tag = c.header ? 'th' : 'td';
    return `<${tag} rowspan="${c.row_span ?? 1}" colspan="${c.column_span ?? 1}">${escaped(cellText(c))}</${tag}>`;
  }).join('')}</tr>`).join('');
}
