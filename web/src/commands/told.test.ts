import { describe, expect, it } from 'vitest';
import { shows } from './told';

const posting = ['order:1004', 'stock of item:CS-01'];

describe('what somebody changed', () => {
  it('is asked for again where a posting is shown', () => {
    for (const key of [['orders', 1004], ['orders', 'page', 'planned', ''], ['today'], ['today', 'missing', 'CS-01'], ['postings', 7], ['audit']]) {
      expect(shows(key, posting), key.join(' ')).toBe(true);
    }
  });

  it('is asked for again of the items that moved, and of lists of items', () => {
    expect(shows(['items', 'CS-01', 'stock'], posting)).toBe(true);
    expect(shows(['items', 'CS-01', 'peek'], posting)).toBe(true);
    expect(shows(['items', 'page', ''], posting)).toBe(true);
    expect(shows(['items', 'named', ['AP-20']], posting)).toBe(true);
    expect(shows(['items', 'AP-20', 'tree', ''], posting)).toBe(false);
  });

  it('leaves alone what no posting changes', () => {
    for (const key of [['cost-sets'], ['margins', 0], ['calendars'], ['work-centers'], ['basics'], ['commands']]) {
      expect(shows(key, posting), key.join(' ')).toBe(false);
    }
  });

  it('is everything after any other command, and where the things are too many to be told', () => {
    for (const things of [['item:CS-01'], ['order:1004', 'cost set:2'], []]) {
      expect(shows(['items', 'AP-20', 'tree', ''], things)).toBe(true);
      expect(shows(['cost-sets'], things)).toBe(true);
    }
  });

  it('is never who is signed in, nor a preview', () => {
    for (const things of [posting, [], ['person:ada']]) {
      expect(shows(['me'], things)).toBe(false);
      expect(shows(['preview', 'report'], things)).toBe(false);
    }
  });
});
