import { expect, it } from 'vitest';
import { beside } from './beside';

it('says what is kept beside an order, and nothing where nothing is', () => {
  expect(beside({ notes: 2, files: 1 })).toBe(' · 2 notes, 1 file');
  expect(beside({ notes: 0, files: 3 })).toBe(' · 3 files');
  expect(beside({ notes: 0, files: 0 })).toBe('');
});
