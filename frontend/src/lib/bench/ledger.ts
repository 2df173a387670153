import type { DocumentSummary } from '../api/client';
import { counted } from './words';

/** How a document of a batch stands. */
export type Standing = 'at work' | 'failed' | 'not read' | 'doubts' | 'ready';
export const STANDINGS: Standing[] = ['at work', 'failed', 'not read', 'doubts', 'ready'];
export const ORDERS = { come: 'as they came', name: 'by name', pages: 'most pages first', doubts: 'most doubts first' } as const;
export type Order = keyof typeof ORDERS;

export const GROUPS = { none: 'not at all', standing: 'by how they stand', kind: 'by kind of pages', language: 'by language' } as const;
export type Group = keyof typeof GROUPS;

export const doubts = (d: DocumentSummary) => Object.values(d.doubts).reduce((a, b) => a + b, 0);

export function standing(d: DocumentSummary): Standing {
  return d.busy > 0 ? 'at work' : d.failed > 0 ? 'failed' : d.unread.length ? 'not read' : doubts(d) > 0 ? 'doubts' : 'ready';
}

/** What is known of its pages, in one line. */
export function gist(d: DocumentSummary, languages: string): string {
  const [low, high] = [Math.round(d.dpi[0] ?? 0), Math.round(d.dpi[1] ?? 0)];
  const kinds = d.kinds.map((k) => (k === 'scanned' ? 'scanned' : 'born digital')).join(' and ');
  const scans = d.doubts.clean ?? 0;
  return [counted(d.pages, 'page'), kinds, d.both_sides ? 'both sides' : '', low ? `${low === high ? low : `${low} to ${high}`} dpi` : '', languages, scans ? `${counted(scans, 'doubt')} about the scan` : ''].filter(Boolean).join(', ');
}

const plain = (text: string) => text.replace(/\.[A-Za-z0-9]{1,5}$/, '').replace(/[^\p{L}\p{N}]+/gu, '').toLocaleLowerCase();

/** Its title and reference number, where they say more than its file's name. */
export function called(d: DocumentSummary): string {
  return [plain(d.title) === plain(d.name) ? '' : d.title, d.reference].filter(Boolean).join(' · ');
}

/** Documents under headings, each with its place among all; one without a heading where they are not grouped. */
export function grouped(documents: DocumentSummary[], by: Group, language: (d: DocumentSummary) => string): { name: string; documents: DocumentSummary[] }[] {
  if (by === 'none') return [{ name: '', documents }];
  const kind = (d: DocumentSummary) => (d.kinds.length > 1 ? 'scanned and born digital' : d.kinds[0] === 'scanned' ? 'scanned' : d.kinds[0] ? 'born digital' : 'not told yet');
  const name = by === 'standing' ? (d: DocumentSummary) => (standing(d) === 'doubts' ? 'with doubts' : standing(d)) : by === 'kind' ? kind : language;
  const found = new Map<string, DocumentSummary[]>();
  for (const d of documents) found.set(name(d), [...(found.get(name(d)) ?? []), d]);
  return [...found].sort(([a], [b]) => names.compare(a, b)).map(([each, those]) => ({ name: each, documents: those }));
}

/** Names in the order in which people count: page 9 before page 10. */
const names = new Intl.Collator(undefined, { numeric: true, sensitivity: 'base' });

/** The documents that are looked for, in an order; of equals the one that came first. */
export function sorted(documents: DocumentSummary[], wanted: string, only: Standing | '', order: Order): DocumentSummary[] {
  const needle = wanted.trim().toLocaleLowerCase();
  const kept = documents.filter((d) => (!only || standing(d) === only)
    && (!needle || d.name.toLocaleLowerCase().includes(needle) || d.title.toLocaleLowerCase().includes(needle) || d.reference.toLocaleLowerCase().includes(needle)));
  if (order === 'name') return kept.sort((a, b) => names.compare(a.name, b.name));
  if (order === 'pages') return kept.sort((a, b) => b.pages - a.pages);
  if (order === 'doubts') return kept.sort((a, b) => doubts(b) - doubts(a));
  return kept;
}
