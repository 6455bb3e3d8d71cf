import { describe, expect, it } from 'vitest';
import { linesOfCells } from '../lib/cells';
import { type Column, pastedRows, rowsOfFile } from './rows';

const columns: Column[] = [
  { name: 'item', label: 'item', kind: 'text' },
  { name: 'quantity', label: 'quantity', kind: 'number' },
  { name: 'wanted_on', label: 'wanted on', kind: 'date' },
  { name: 'use', label: 'for', kind: 'choice', options: [{ value: 'a', words: 'Astronomy' }] },
];

describe('rows pasted from a spreadsheet', () => {
  it('fill from a cell on, and add rows', () => {
    const rows = [{ item: 'HT-200', quantity: '1' }, { item: 'old', quantity: '5', use: 'a' }];
    expect(pastedRows(rows, columns, 1, 'item', 'HT-150\t2,5\t24.12.2026\tAstronomy\nOS-1\t8\n')).toEqual([
      { item: 'HT-200', quantity: '1' },
      { item: 'HT-150', quantity: '2.5', wanted_on: '2026-12-24', use: 'a' },
      { item: 'OS-1', quantity: '8' },
    ]);
  });

  it('leave what stands before the column, and what is not pasted over', () => {
    const rows = [{ item: 'A', quantity: '1', wanted_on: '2027-01-04' }, { item: 'B' }];
    expect(pastedRows(rows, columns, 0, 'quantity', '7\n9')).toEqual([
      { item: 'A', quantity: '7', wanted_on: '2027-01-04' },
      { item: 'B', quantity: '9' },
    ]);
  });

  it('empty what an empty cell is pasted over, and take no choice that there is not', () => {
    const rows = [{ item: 'A', quantity: '1', use: 'a' }];
    expect(pastedRows(rows, columns, 0, 'item', 'B\t\t2027-01-04\tnone')).toEqual([{ item: 'B', wanted_on: '2027-01-04' }]);
  });

  it('keep separators in quotes', () => {
    expect(pastedRows([], columns, 0, 'item', '"A;B";3')).toEqual([{ item: 'A;B', quantity: '3' }]);
  });
});

describe('rows of a file', () => {
  it('are found by the head, whatever else the file has', () => {
    const file = '\uFEFFWorks,Quantity,Item,wanted_on\nHill,"2,5",HT-200,24.12.2026\n\nHill,1,OS-1,\n';
    expect(rowsOfFile(columns, linesOfCells(file, true))).toEqual([{ quantity: '2.5', item: 'HT-200', wanted_on: '2026-12-24' }, { quantity: '1', item: 'OS-1' }]);
  });

  it('come in the order of the columns where nothing names them', () => {
    expect(rowsOfFile(columns, linesOfCells('HT-200;3;2027-01-04\nOS-1;1', true))).toEqual([
      { item: 'HT-200', quantity: '3', wanted_on: '2027-01-04' },
      { item: 'OS-1', quantity: '1' },
    ]);
  });

  it('are none of an empty file', () => {
    expect(rowsOfFile(columns, linesOfCells('\n', true))).toEqual([]);
  });
});
