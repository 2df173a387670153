import type { DocumentSummary } from '../api/client';
import { counted } from './words';

/** How a document of a batch stands. */
export type Standing = 'at work' | 'failed' | 'not read' | 'doubts' | 'ready';
export const STANDINGS: Standing[] = ['at work', 'failed', 'not read', 'doubts', 'ready'];
export const ORDERS = { come: 'as they came', name: 'by name', pages: 'most pages first', doubts: 'most doubts first' } as const;
export type Order = keyof typeof ORDERS;

export const doubts = (d: DocumentSummary) => Object.values(d.doubts).reduce((a, b) => a + b, 0);

export function standing(d: DocumentSummary): Standing {
  return d.busy > 0 ? 'at work' : d.failed > 0 ? 'failed' : d.unread.length ? 'not read' : doubts(d) > 0 ? 'doubts' : 'ready';
}

/** What is known of its pages, in one line. */
export function gist(d: DocumentSummary, languages: string): string {
  const [low, high] = [Math.round(d.dpi[0] ?? 0), Math.round(d.dpi[1] ?? 0)];
  const kinds = d.kinds.map((k) => (k === 'scanned' ? 'scanned' : 'born digital')).join(' and ');
  return [counted(d.pages, 'page'), kinds, low ? `${low === high ? low : `${low} to ${high}`} dpi` : '', languages].filter(Boolean).join(', ');
}

/** Names in the order in which people count: page 9 before page 10. */
const names = new Intl.Collator(undefined, { numeric: true, sensitivity: 'base' });

/** The documents that are looked for, in an order; of equals the one that came first. */
export function sorted(documents: DocumentSummary[], wanted: string, only: Standing | '', order: Order): DocumentSummary[] {
  const needle = wanted.trim().toLocaleLowerCase();
  const kept = documents.filter((d) => (!only || standing(d) === only)
    && (!needle || d.name.toLocaleLowerCase().includes(needle) || d.title.toLocaleLowerCase().includes(needle)));
  if (order === 'name') return kept.sort((a, b) => names.compare(a.name, b.name));
  if (order === 'pages') return kept.sort((a, b) => b.pages - a.pages);
  if (order === 'doubts') return kept.sort((a, b) => doubts(b) - doubts(a));
  return kept;
}
