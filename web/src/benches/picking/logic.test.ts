import { describe, expect, it } from 'vitest';
import { nothingSeen, readScan, standing, takeOf, walked, type Walked } from './logic';
import type { PickLine, PickList } from './queries';
import type { Scan } from './scans';

const line = (n: number, more: Partial<PickLine> = {}): PickLine => ({
  line: n,
  order: 1012,
  makes: 'HT-200',
  operation: 10,
  tranche: null,
  item: `ITEM-${n}`,
  name: 'An item',
  unit: 'pcs',
  step: '1',
  lot: '',
  tracking: 'none',
  lot_words: '',
  instead_of: '',
  place: `SHELF-${n}`,
  place_name: 'A shelf',
  place_at: '',
  target: 'LINE',
  target_name: 'Line',
  quantity: '10',
  picked: '0',
  left: '10',
  state: 'open',
  place_scans: [`SHELF-${n}`],
  item_scans: [`ITEM-${n}`],
  lot_scans: [],
  alternates: [],
  ...more,
});
const list: PickList = {
  number: 5,
  orders: '1012',
  state: 'open',
  made_at: '2026-11-29T06:00:00Z',
  lines: [line(1), line(2, { lot: 'L-7', lot_scans: ['L-7', 'ITEM-2 L-7'] }), line(3, { state: 'short', left: '4' })],
  targets: [{ code: 'LINE', name: 'Line', scan_code: 'F:LINE' }],
  ready: [],
};
const scan = (given: Record<string, unknown>, more: Partial<Scan> = {}): Scan => ({ key: 'k', list: 5, name: 'pick', given, words: '', ...more });
const at = (lines: Walked[], n: number) => lines.find((w) => w.line === n) as Walked;

describe('a list that is walked', () => {
  it('counts what waits for the connection, and not what was refused', () => {
    const whole = scan({ line: 1, quantity: '10' });
    expect(at(walked(list, [whole]), 1)).toMatchObject({ isOpen: false, isWaiting: true });
    expect(at(walked(list, [scan({ line: 1, quantity: '4' })]), 1)).toMatchObject({ isOpen: true, isWaiting: true });
    const refused = { ...whole, problem: { code: 'stock.not_enough' } } as Scan;
    expect(at(walked(list, [refused]), 1)).toMatchObject({ isOpen: true, isWaiting: false });
    expect(at(walked(list, [scan({ line: 1 }, { name: 'pick-short' })]), 1).isOpen).toBe(false);
  });

  it('tells how far it has come and what is short', () => {
    const now = standing(walked(list, [scan({ line: 1, quantity: '10' })]));
    expect([now.done, now.all, now.short.map((n) => n.line)]).toEqual([2, 3, [3]]);
  });
});

describe('a scan', () => {
  const lines = walked(list, []);
  const read = (code: string, seen = nothingSeen, n = 1) => readScan(list, lines, at(lines, n), seen, code);

  it('is the place, the item or the lot of the line in hand', () => {
    expect(read('SHELF-1')).toEqual({ kind: 'place' });
    expect(read(' ITEM-1 ')).toEqual({ kind: 'item' });
    expect(read('ITEM-2 L-7', nothingSeen, 2)).toEqual({ kind: 'item' });
  });

  it('of the target takes it once place and item were seen', () => {
    expect(read('F:LINE')).toMatchObject({ kind: 'target', code: 'LINE', isTaken: false });
    expect(read('F:LINE', { ...nothingSeen, place: true, item: true })).toMatchObject({ isTaken: true });
  });

  it('of another open line goes there, of one that is done or nobody knows is asked for', () => {
    expect(read('SHELF-2')).toEqual({ kind: 'line', line: 2 });
    expect(read('ITEM-3')).toEqual({ kind: 'unknown' });
    expect(read('1234567')).toEqual({ kind: 'unknown' });
  });

  it('is sent with only what differs from the list', () => {
    const two = at(lines, 2);
    expect(takeOf(two, '10', { ...nothingSeen, lot: 'L-7', target: 'LINE' })).toEqual({ line: 2, quantity: '10' });
    expect(takeOf(two, '3', { ...nothingSeen, lot: 'L-8', target: 'BOX-1' })).toEqual({ line: 2, quantity: '3', target: 'BOX-1', lots: [{ lot: 'L-8', quantity: '3' }] });
  });
});
