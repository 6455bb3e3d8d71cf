import { describe, expect, it } from 'vitest';
import type { TreeRow } from '../api/queries';
import { placeOperations } from './OperationGraph';
import { asTsv, closedAt, closedByNeed, closedToOperations, hasRowsUnder, rowsAbove, selectCostliest, selectMatches, visibleRows } from './tree';

function row(depth: number, kind: string, code: string, cost: string | null = null): TreeRow {
  return {
    key: `${depth} ${kind} ${code}`,
    depth,
    level: kind === 'operation' ? null : (depth + 1) / 2,
    kind,
    code,
    name: `${code} named`,
    unit: 'pcs',
    operation: 10,
    after: null,
    quantity: kind === 'operation' ? null : '2.500000',
    line_unit: 'pcs',
    need: null,
    per: 'unit',
    issue_rule: '',
    allowance: null,
    yield_share: null,
    setup_hours: null,
    run_hours: null,
    cost,
    on_hand: null,
    enough_for: null,
    covers_lot: null,
    revision: '',
    detail: '',
    documents: [],
  };
}

/** Two levels: an operation with a plate and a set; the set with an operation and a bar. */
const rows = [
  row(0, 'operation', 'MILL', '30.00'),
  row(1, 'component', 'PLATE', '16.42'),
  row(1, 'sub-assembly', 'SET', '20.15'),
  row(2, 'operation', 'LATHE', '5.10'),
  row(3, 'component', 'BAR', '3.05'),
  row(1, 'by-product', 'SWARF', '-1.39'),
  row(0, 'operation', 'ASSY'),
];

describe('what is open', () => {
  it('hides everything under a closed row and nothing else', () => {
    expect(visibleRows(rows, new Set())).toEqual([0, 1, 2, 3, 4, 5, 6]);
    expect(visibleRows(rows, new Set([2]))).toEqual([0, 1, 2, 5, 6]);
    expect(visibleRows(rows, new Set([0, 3]))).toEqual([0, 6]);
  });

  it('can be cut at a level or at the operations', () => {
    expect(visibleRows(rows, closedAt(rows, 1))).toEqual([0, 1, 2, 5, 6]);
    expect(visibleRows(rows, closedAt(rows, 2))).toHaveLength(7);
    expect(visibleRows(rows, closedToOperations(rows))).toEqual([0, 6]);
  });

  it('opens what stock does not cover for a lot', () => {
    const covering = (covers_lot: boolean) => rows.map((r) => (r.code === 'SET' ? { ...r, covers_lot } : r));

    expect([true, false].map((covers) => visibleRows(rows, closedByNeed(covering(covers))).length)).toEqual([5, 7]);
  });

  it('knows what stands above and under a row', () => {
    expect(rowsAbove(rows, 4)).toEqual([3, 2, 0]);
    expect(rowsAbove(rows, 0)).toEqual([]);
    expect([0, 1, 2, 6].map((n) => hasRowsUnder(rows, n))).toEqual([true, false, true, false]);
  });
});

describe('what is looked for', () => {
  it('finds the costliest component, not the sub-assembly around it', () => {
    expect(selectCostliest(rows)).toBe(1);
    expect(selectCostliest([row(0, 'operation', 'A', '9')])).toBe(-1);
  });

  it('finds rows that hold every word, in any order', () => {
    expect(selectMatches(rows, 'named bar')).toEqual([4]);
    expect(selectMatches(rows, '  ')).toEqual([]);
    expect(selectMatches(rows, 'bar plate')).toEqual([]);
  });

  it('goes into a spreadsheet as a head and a line for each row', () => {
    const lines = asTsv(rows).split('\n');

    expect(lines).toHaveLength(8);
    expect(lines[2]?.split('\t').slice(3, 7)).toEqual(['PLATE', 'PLATE named', '2.5', 'pcs']);
    expect(new Set(lines.map((l) => l.split('\t').length))).toEqual(new Set([13]));
  });
});

describe('the graph of operations', () => {
  const named = (number: number, after: number[] | null) => ({ number, name: `Step ${number}`, after });

  it('puts what follows in the next column and branches in lanes', () => {
    const placed = placeOperations([named(10, null), named(20, []), named(30, [10, 20]), named(40, null)]);

    expect(placed.map((p) => [p.column, p.lane])).toEqual([[0, 0], [0, 1], [1, 0], [2, 0]]);
    expect(placed[2]?.before).toEqual([10, 20]);
  });

  it('leaves out what comes after nothing that is there', () => {
    expect(placeOperations([named(10, [50]), named(20, [10, 70])]).map((p) => p.before)).toEqual([[], [10]]);
  });
});
