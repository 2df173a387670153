import { expect, test } from 'vitest';
import { readAgain } from './content';
import { bared, counted, pageRuns, reasonOf } from './words';

test('one is not many', () => {
  expect([0, 1, 2].map((n) => counted(n, 'page'))).toEqual(['0 pages', '1 page', '2 pages']);
});

test('pages in a row are told as a run', () => {
  expect(pageRuns([0])).toBe('page 1');
  expect(pageRuns([0, 1, 2, 6])).toBe('pages 1–3, 7');
  expect(pageRuns([0, 2, 4, 6, 8, 9, 10])).toBe('pages 1, 3, 5, 7 and 3 more');
});

test('a doubt that stands for several pages names them', () => {
  expect(reasonOf({ reason: 'Only 150 dpi.', pages: [] })).toBe('Only 150 dpi.');
  expect(reasonOf({ reason: 'Only 150 dpi.', pages: [0, 1, 2] })).toBe('Pages 1–3: Only 150 dpi.');
});

test('a misreading is sought without the marks that it shares with what was meant', () => {
  expect(bared('(tbe,', '(the,')).toEqual({ read: 'tbe', meant: 'the' });
  expect(bared('end.', 'end')).toEqual({ read: 'end.', meant: 'end' });
  expect(bared('—', '–')).toEqual({ read: '—', meant: '–' });
});

test('of the further readings the one that says something else is told, the other model first', () => {
  expect(readAgain({ text: 'tbe', second: 'the', recognised: 'tho' })).toBe('tho');
  expect(readAgain({ text: 'tbe', second: 'the', recognised: 'tbe' })).toBe('the');
  expect(readAgain({ text: 'the', second: '', recognised: null })).toBeUndefined();
});
