import { describe, expect, it } from 'vitest';
import type { DocumentSummary } from '../api/client';
import { called, gist, grouped, sorted, standing } from './ledger';

const made = (id: number, more: Partial<DocumentSummary> = {}): DocumentSummary => ({
  id, position: id, name: `Letter ${id}.tif`, title: `Of lamp ${id}`, reference: '', language: 'eng', languages: ['eng'], pages: 1, note: '', cautions: [],
  doubts: {}, busy: 0, failed: 0, unread: [], covers: [], both_sides: false, kinds: ['scanned'], dpi: [300, 300], ...more,
});
const ids = (documents: DocumentSummary[]) => documents.map((d) => d.id);

describe('the documents of a batch', () => {
  it('stand as the worst of their pages do', () => {
    const told = [{ busy: 1, failed: 1 }, { failed: 1, doubts: { proof: 2 } }, { unread: [0] }, { doubts: { proof: 2 } }, {}].map((m, i) => standing(made(i, m)));
    expect(told).toEqual(['at work', 'failed', 'not read', 'doubts', 'ready']);
  });

  it('are found by parts of names and titles, whatever their capitals', () => {
    const all = [made(1), made(2, { name: 'LOG.pdf' }), made(3, { title: 'The log' })];
    expect(ids(sorted(all, ' log ', '', 'come'))).toEqual([2, 3]);
    expect(ids(sorted([made(1), made(2, { failed: 1 })], '', 'failed', 'come'))).toEqual([2]);
  });

  it('are put in order as people count, equals as they came', () => {
    const all = [made(10), made(9, { pages: 4 }), made(1, { pages: 4, doubts: { proof: 3, tag: 2 } })];
    expect(ids(sorted(all, '', '', 'come'))).toEqual([10, 9, 1]);
    expect(ids(sorted(all, '', '', 'name'))).toEqual([1, 9, 10]);
    expect(ids(sorted(all, '', '', 'pages'))).toEqual([9, 1, 10]);
    expect(ids(sorted(all, '', '', 'doubts'))).toEqual([1, 10, 9]);
  });

  it('are called by title and number where these say more than the name', () => {
    expect(called(made(1))).toBe('Of lamp 1');
    expect(called(made(1, { title: 'Letter-1', reference: 'SLB 4' }))).toBe('SLB 4');
  });

  it('stand under headings', () => {
    const all = [made(1, { kinds: ['born_digital'] }), made(2, { failed: 1 }), made(3)];
    expect(grouped(all, 'none', () => '')).toEqual([{ name: '', documents: all }]);
    expect(grouped(all, 'kind', () => '').map((g) => [g.name, ids(g.documents)])).toEqual([['born digital', [1]], ['scanned', [2, 3]]]);
    expect(grouped(all, 'standing', () => '').map((g) => g.name)).toEqual(['failed', 'ready']);
    expect(grouped(all, 'language', (d) => (d.id > 1 ? 'German' : 'English')).map((g) => ids(g.documents))).toEqual([[1], [2, 3]]);
  });

  it('say what is known of their pages', () => {
    expect(gist(made(1, { pages: 3, kinds: ['born_digital', 'scanned'], dpi: [150, 300] }), 'English')).toBe('3 pages, born digital and scanned, 150 to 300 dpi, English');
    expect(gist(made(1, { both_sides: true, doubts: { clean: 2, proof: 5 } }), 'English')).toBe('1 page, scanned, both sides, 300 dpi, English, 2 doubts about the scan');
    expect(gist(made(1, { kinds: [], dpi: [] }), '')).toBe('1 page');
  });
});
