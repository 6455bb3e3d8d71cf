import { describe, expect, it } from 'vitest';
import { bars, dayAt, dayBeside, shareOf, sizeAt, sizeBeside, sizeOf, stepped } from './stepped';

const step = (day: string, projected: string) => ({ day, projected });

describe('a projected stock as a line', () => {
  it('begins with what may be used, steps at each day to what is left at its end, and goes on a little', () => {
    const line = stepped('2026-12-01', '4', [step('2026-12-01', '9'), step('2026-12-03', '8'), step('2026-12-03', '3'), step('2026-12-11', '9')]);
    expect(line.points.map(([at]) => Math.round(at * 108) / 10)).toEqual([0, 0, 2, 10, 10.8]);
    expect(line.points.map(([, level]) => Math.round(level * 9))).toEqual([4, 9, 3, 9, 9]);
    expect(line).toMatchObject({ zero: 0, isBelow: false, most: '9' });
  });

  it('shows where nothing is left, and that it goes below', () => {
    const line = stepped('2026-12-01', '3', [step('2026-12-05', '-1')]);
    expect(line).toMatchObject({ zero: 0.25, isBelow: true, most: '3' });
    expect(line.points.map(([, level]) => level)).toEqual([1, 0, 0]);
  });

  it('names days that are far enough apart, over a change of the year and of the clocks', () => {
    const days = ['2026-12-30', '2026-12-31', '2027-01-30', '2027-03-31'];
    const line = stepped('2026-12-30', '0', days.map((d) => step(d, '1')));
    expect(line.marks.map((m) => m.day)).toEqual(['2026-12-30', '2027-01-30', '2027-03-31']);
    expect(line.marks.every((m) => m.at >= 0 && m.at < 1)).toBe(true);
  });

  it('stays drawable where nothing is there and nothing happens', () => {
    expect(stepped('2026-12-01', '0', []).points).toEqual([[0, 0], [1, 0]]);
  });
});

describe('what comes and goes', () => {
  it('stands on the same width as the line, as large as its part of the largest', () => {
    const moves = [
      { day: '2026-12-01', kind: 'customer order', number: 318, change: '-4', projected: '0' },
      { day: '2026-12-11', kind: 'proposal', number: 7, change: '8', projected: '8' },
    ];
    const [goes, comes] = bars('2026-12-01', moves);
    expect(goes).toEqual({ at: 0, size: 0.5, goes: true, isProposed: false, number: 318, day: '2026-12-01', change: '-4' });
    expect([comes?.goes, comes?.isProposed, comes?.size, Math.round((comes?.at ?? 0) * 108)]).toEqual([false, true, 1, 100]);
    expect(bars('2026-12-01', [])).toEqual([]);
  });

  it('is moved to the day and the size under a place, by days and by ones to the last digit, never before today and never to nothing', () => {
    const steps = [step('2026-12-30', '4'), step('2027-01-09', '0')];
    for (const day of ['2026-12-28', '2026-12-31', '2027-01-09']) expect(dayAt('2026-12-28', steps, shareOf('2026-12-28', steps, day))).toBe(day);
    expect(dayAt('2026-12-28', steps, -0.2)).toBe('2026-12-28');
    const moves = [{ ...step('2026-12-30', '4'), kind: 'proposal', number: 7, change: '8' }];
    for (const size of ['1', '5', '8', '9']) expect(sizeAt(moves, sizeOf(moves, size))).toBe(size);
    expect(sizeAt(moves, -0.4)).toBe('1');
    expect([sizeBeside('2.44', 1), sizeBeside('20.000000', -10), sizeBeside('8', -10)]).toEqual(['3.44', '10', '8']);
    expect([dayBeside('2026-12-28', '2026-12-31', 1), dayBeside('2026-12-28', '2026-12-29', -3)]).toEqual(['2027-01-01', '2026-12-28']);
  });
});
