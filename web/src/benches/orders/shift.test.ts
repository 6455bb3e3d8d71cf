import { describe, expect, it } from 'vitest';
import { blankRow, clockTime, COLUMNS, faultsOf, isBlank, pasted, rowGiven, rowsFrom, rowsOf, unread, withRoom } from './shift';

const plainly = (rows: ReturnType<typeof rowsFrom>) => rows.map((row) => COLUMNS.map((c) => row[c]).join('|'));

describe('a sheet of a shift', () => {
  it('is read from a spreadsheet or a file, with its headings passed over and decimal commas', () => {
    const head = 'Order\tOp\tGood\tScrap\tWhy\r\n';
    expect(plainly(rowsFrom(`${head}1004\t20\t12\t\t\t\t2,4\n\n`))).toEqual(['1004|20|12||||2.4|||||']);
    expect(plainly(rowsFrom('1006;20;6;1;SPLIT;;2,9;lars;14:00;16:30;;dropped, twice'))).toEqual(['1006|20|6|1|SPLIT||2.9|lars|14:00|16:30||dropped, twice']);
    const file = 'order,op,good,scrap,why,setup,run,who,from,to,lot,note\n1006,20,6,1,SPLIT,,2.9,,,,L-1,"dropped, by ""Lars"""\n';
    expect(plainly(rowsFrom(file, { isFile: true }))).toEqual(['1006|20|6|1|SPLIT||2.9||||L-1|dropped, by "Lars"']);
  });

  it('is read from the cells of a workbook', () => {
    expect(plainly(rowsOf([['Order', 'Op', 'Good'], ['1004', '20', '12']]))).toEqual(['1004|20|12|||||||||']);
    expect(rowsOf([])).toEqual([]);
  });

  it('takes a paste from the cell on in which it is made, over the rows that are there, and keeps room below', () => {
    const rows = [...rowsFrom('1004\t20\n1006\t20\n1009\t30'), blankRow()];
    const now = pasted(rows, 1, 'good', '6\t1\n9');
    expect(plainly(now)).toEqual(['1004|20||||||||||', '1006|20|6|1||||||||', '1009|30|9|||||||||', '|||||||||||']);
    expect(now[1]?.id).toBe(rows[1]?.id);

    const more = pasted([blankRow()], 0, 'order', '1\t10\n2\t10');
    expect(plainly(more)).toEqual(['1|10||||||||||', '2|10||||||||||', '|||||||||||']);
  });

  it('has one empty row at its end', () => {
    expect(withRoom([]).map(isBlank)).toEqual([true]);
    expect(withRoom(withRoom(rowsFrom('1\t10')))).toHaveLength(2);
  });

  it('is sent as it was typed, without what was left empty', () => {
    const [row = blankRow()] = rowsFrom('1004\t20\t12.50\t\t\t\t2.4');
    expect(rowGiven(row)).toEqual({ order: 1004, operation: 20, good: '12.50', run_hours: '2.4' });
    expect(unread(row)).toBeNull();
  });

  it('takes a time of day as people write it', () => {
    expect(['6', '6:30', '6.30', '630', '22:05', 'noon', '2460'].map(clockTime)).toEqual(['06:00', '06:30', '06:30', '06:30', '22:05', 'noon', '2460']);
    const row = { ...blankRow(), order: '1004', operation: '20', who: 'lars', started: '6', ended: '1430', lot: 'L-1' };
    expect(rowGiven(row)).toEqual({ order: 1004, operation: 20, who: 'lars', started: '06:00', ended: '14:30', lot: 'L-1' });
    expect(unread({ ...row, ended: '25:00' })).toContain('no time of day');
  });

  it('says of a row what can not be read, before anything is sent', () => {
    const [row = blankRow()] = rowsFrom('1004\t20\t12\t1\tSPLIT\t.5\t2.4');
    expect(unread(row)).toBeNull();
    expect(unread({ ...row, operation: 'first' })).toContain('which operation');
    expect(unread({ ...row, order: '10045678901' })).toContain('which order');
    expect(unread({ ...row, scrap: 'two' })).toBe('two is no number.');
    expect(unread({ ...row, run_hours: '-1' })).toBe('-1 is no number.');
  });

  it('knows the faulty row by its place among those that were sent', () => {
    const told = [
      { thing: 'row 2', text: 'only 8 passed' },
      { thing: 'order 1004', text: 'starts' },
      { thing: 'row 9', text: 'not sent' },
    ];
    expect([...faultsOf(['a', 'b', 'c'], told)]).toEqual([['b', 'only 8 passed']]);
  });
});
