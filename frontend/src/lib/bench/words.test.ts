import { expect, test } from 'vitest';
import { counted } from './words';

test('one is not many', () => {
  expect([0, 1, 2].map((n) => counted(n, 'page'))).toEqual(['0 pages', '1 page', '2 pages']);
});
