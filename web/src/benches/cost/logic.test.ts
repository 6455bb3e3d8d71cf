import { describe, expect, it } from 'vitest';
import type { CostPart } from '../../api/queries';
import { layOut, placeHistory, rankParts } from './logic';

const part = (code: string, amount: string): CostPart => ({
  kind: 'component',
  code,
  name: code,
  unit: 'pcs',
  is_made: false,
  quantity: '1',
  amount,
  old_quantity: '0',
  old_amount: '0',
});

describe('where the money goes', () => {
  it('ranks by size and adds up, credits counting against', () => {
    const ranked = rankParts([part('A', '2'), part('SWARF', '-1'), part('B', '9')], '10');

    expect(ranked.map((p) => [p.code, p.share, p.upTo])).toEqual([['B', 0.9, 0.9], ['A', 0.2, 1.1], ['SWARF', -0.1, 1]]);
  });

  it('lays lower levels first, then this level, without credits', () => {
    const layers = [
      { element: 'material', this_level: '3', lower_levels: '4' },
      { element: 'by-product credit', this_level: '-1', lower_levels: '0' },
      { element: 'machine', this_level: '2', lower_levels: '0' },
    ];

    expect(layOut(layers).map((s) => [s.element, s.level, s.start, s.amount])).toEqual([
      ['material', 'lower levels', 0, 4],
      ['material', 'this level', 4, 3],
      ['machine', 'this level', 7, 2],
    ]);
  });

  it('places a history from the lowest to the highest', () => {
    expect(placeHistory([10, 20, 15], 200, 100)).toEqual([{ x: 0, y: 100 }, { x: 100, y: 0 }, { x: 200, y: 50 }]);
    expect(placeHistory([5], 200, 100)).toEqual([{ x: 100, y: 50 }]);
  });
});
