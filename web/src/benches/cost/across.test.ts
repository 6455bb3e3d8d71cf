import { describe, expect, it } from 'vitest';
import { askedOf, barsOf, narrowed, widened } from './across';

describe('a question across orders', () => {
  it('is what its address says; what it does not know is items by cause', () => {
    expect(askedOf(new URLSearchParams('rows=person&columns=colour&since=2026-09-01'))).toEqual({ rows: 'person', columns: 'cause', since: '2026-09-01', until: '', where: '' });
    expect(askedOf(new URLSearchParams())).toMatchObject({ rows: 'item', columns: 'cause' });
  });

  it('is narrowed once by each thing, and widened again', () => {
    const once = narrowed(narrowed('', 'item', 'A'), 'cause', 'yield');
    expect(once).toBe('item:A;cause:yield');
    expect(narrowed(once, 'item', 'B')).toBe('cause:yield;item:B');
    expect(widened(once, 'item:A')).toBe('cause:yield');
    expect(widened('item:A', 'item:A')).toBe('');
  });
});

describe('bars beside the table', () => {
  it('begin at a common zero and end at its share of the whole width', () => {
    expect(barsOf([{ amount: '60' }, { amount: '0' }, { amount: '-40' }])).toEqual([
      { from: 40, width: 60, isFavourable: false },
      { from: 40, width: 0, isFavourable: false },
      { from: 0, width: 40, isFavourable: true },
    ]);
  });

  it('are nothing where nothing differs', () => {
    expect(barsOf([{ amount: '0.00' }])).toEqual([{ from: 0, width: 0, isFavourable: false }]);
  });
});
