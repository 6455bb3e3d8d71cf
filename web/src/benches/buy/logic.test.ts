import { describe, expect, it } from 'vitest';
import { askedLines, cameLines, changedLines, readLines, sentLines } from './logic';

const lines = [
  { line: 1, quantity: '20.000000', price: '6.500000', comes_on: '2026-12-01' },
  { line: 2, quantity: '3', price: '1', comes_on: '2026-12-02' },
];

describe('what is sent of a purchase order', () => {
  it('names only what was typed otherwise than it stands', () => {
    const typed = { 1: { quantity: '20', price: '6.7' }, 2: { comes_on: '2026-12-02' } };
    expect(changedLines(lines, typed)).toEqual([{ line: 1, price: '6.7' }]);
  });

  it('does not name a line that is left out', () => {
    expect(changedLines(lines, { 1: { quantity: '5', drop: true } })).toEqual([]);
  });

  it('names the lines of which something came, with the lots that were filled in', () => {
    const came = cameLines(lines, { 1: '0', 2: '1.5' }, { 2: [{ lot: 'A', quantity: '1.5' }, {}] }, {});
    expect(came).toEqual([{ line: 2, quantity: '1.5', lots: [{ lot: 'A', quantity: '1.5' }], scrap: [] }]);
  });

  it('names a line of which all was lost', () => {
    const lost = { 1: [{ reason: 'BROKEN', quantity: '2' }, { reason: 'BROKEN' }] };
    expect(cameLines(lines, {}, {}, lost)).toEqual([{ line: 1, quantity: '0', lots: [], scrap: [{ reason: 'BROKEN', quantity: '2' }] }]);
  });

  it('names of a file the lines that name one of ours', () => {
    const line = { purchase: 7001, of_line: 2, quantity: '3', amount: '9.00' };
    expect(readLines([line, { ...line, of_line: null }, { ...line, purchase: null }])).toEqual([{ purchase: 7001, line: 2, quantity: '3', amount: '9.00' }]);
  });

  it('takes of a despatch advice what it brings of one order, and names the others once', () => {
    const sent = [7001, 7002, 7001, 7002].map((purchase, line) => ({ purchase, line }));
    expect(sentLines(sent, 7001)).toEqual({ own: [sent[0], sent[2]], others: [7002] });
  });

  it('names what an invoice asks for, where it is marked', () => {
    const rows = [
      { delivery: 7, purchase: 7001, line: 1 },
      { delivery: 8, purchase: 7001, line: 2 },
      { delivery: 9, purchase: 7002, line: 1 },
    ];
    const asked = { 7: { isOn: true, quantity: '2', amount: '13.40' }, 8: { isOn: false, quantity: '1', amount: '1' }, 9: { isOn: true, quantity: '0', amount: '1' } };
    expect(askedLines(rows, asked)).toEqual([{ purchase: 7001, line: 1, quantity: '2', amount: '13.40' }]);
  });
});
