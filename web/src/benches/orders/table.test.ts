import { describe, expect, it } from 'vitest';
import { chosenColumns, columns, sortBy, typedOf, usual, whereOf } from './table';

describe('the wide table', () => {
  it('keeps what is typed in its heads in its address, and reads it back', () => {
    const typed = { late: '>0', item: ' HT* ', note: '', due: '2026-12-01..2026-12-31' };
    const where = whereOf(typed);
    expect(where).toBe('item:HT*;due:2026-12-01..2026-12-31;late:>0');
    expect(typedOf(where)).toEqual({ item: 'HT*', due: '2026-12-01..2026-12-31', late: '>0' });
    expect(whereOf({ note: 'a;b' })).toBe('note:a b');
    expect(typedOf('note:at 7:30')).toEqual({ note: 'at 7:30' });
    expect(typedOf('')).toEqual({});
  });

  it('sorts up, then down, then up again, and another column up', () => {
    expect([sortBy('due', 'late'), sortBy('late', 'late'), sortBy('-late', 'late')]).toEqual(['late', '-late', 'late']);
  });

  it('shows costs to those who may see them only, and never nothing', () => {
    expect(chosenColumns(null, true).map((c) => c.name)).toEqual(columns.map((c) => c.name).filter((n) => usual.includes(n)));
    expect(chosenColumns('wip,order', false).map((c) => c.name)).toEqual(['order']);
    expect(chosenColumns('wip', false).map((c) => c.name)).toEqual(['order']);
  });
});
