import { describe, expect, it } from 'vitest';
import type { CostPart, ItemCost, Outcome } from './queries';
import { comparedPair, groupParts, layOut, placeHistory, rankMovers, rankParts, stackHistory } from './logic';

const part = (code: string, amount: string): CostPart => ({
  kind: 'component',
  code,
  name: code,
  unit: 'pcs',
  is_made: false,
  supplier: '',
  supplier_name: '',
  quantity: '1',
  amount,
  old_quantity: '0',
  old_amount: '0',
  moved: amount,
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

  it('goes to work centers for their time, and to suppliers for what they bring', () => {
    const parts = [
      { ...part('PLATE', '6'), supplier: 'MARROW', supplier_name: 'Marrow Metals' },
      { ...part('JIG', '1'), name: 'Jig' },
      { ...part('MARROW', '2'), kind: 'subcontract', supplier: 'MARROW', supplier_name: 'Marrow Metals' },
      { ...part('MILL', '3'), kind: 'run labour' },
      { ...part('MILL', '4'), kind: 'run machine' },
    ];

    expect(groupParts(parts, '16', 'work center')).toEqual([
      { code: 'MILL', name: 'MILL', amount: 7, share: 7 / 16, of: ['run machine', 'run labour'] },
    ]);
    expect(groupParts(parts, '16', 'supplier').map((g) => [g.code, g.amount, g.of])).toEqual([
      ['MARROW', 8, ['PLATE', 'subcontract']],
      ['', 1, ['Jig']],
    ]);
  });

  it('is moved by prices, rates, yields and lots, the strongest first', () => {
    const cost = {
      parts: [part('PLATE', '60'), { ...part('MILL', '30'), kind: 'run labour' }],
      sensitivities: [
        { item: 'PART', name: 'Part', operation: 10, value: '0.95', moved: '-0.9' },
        { item: 'PART', name: 'Part', operation: null, value: '20', moved: '-0.1' },
      ],
    } as unknown as ItemCost;

    expect(rankMovers(cost).map((m) => [m.what, m.code, m.moved])).toEqual([
      ['yield of operation 10', 'PART', -0.9],
      ['price', 'PLATE', 0.6],
      ['rate or hours, run labour', 'MILL', 0.3],
      ['standard lot', 'PART', -0.1],
    ]);
  });

  it('places a history from the lowest to the highest', () => {
    expect(placeHistory([10, 20, 15], 200, 100)).toEqual([{ x: 0, y: 100 }, { x: 100, y: 0 }, { x: 200, y: 50 }]);
    expect(placeHistory([5], 200, 100)).toEqual([{ x: 100, y: 50 }]);
  });
});

describe('finished orders', () => {
  const outcome = (order: number, unit_cost: string | null, elements: [string, string][]) =>
    ({ order, unit_cost, standard: '10', elements: elements.map(([element, each]) => ({ element, each })) }) as unknown as Outcome;

  it('stand as bars from the oldest, up to what they cost, credits taken off the largest part', () => {
    const rows = [
      outcome(9, '20', [['material', '15'], ['machine', '8'], ['by-product credit', '-3']]),
      outcome(8, null, []),
      outcome(7, '8', [['machine', '8']]),
    ];
    const { bars, elements, most } = stackHistory(rows);

    expect(most).toBe(21);
    expect(bars.map((b) => b.order)).toEqual([7, 9]);
    expect(elements).toEqual(['machine', 'material']);
    expect(bars[1]?.parts.map((p) => [p.element, Math.round(p.from * most), Math.round(p.to * most)])).toEqual([
      ['material', 0, 12],
      ['machine', 12, 20],
    ]);
    expect(bars[0]?.standard).toBeCloseTo(10 / 21);
  });

  it('are compared two at a time, the older first', () => {
    expect([comparedPair([]), comparedPair([3]), comparedPair([9, 4]), comparedPair([1, 2, 3])]).toEqual([null, null, [4, 9], null]);
  });
});
