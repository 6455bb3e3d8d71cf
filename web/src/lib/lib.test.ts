import { describe, expect, it } from 'vitest';
import { clock, dayWords, groupShifts, minuteOf, type Shift, ungroupShifts, weekWords } from './clock';
import { isZero, percent, plain, total, variance } from './decimal';

describe('decimals stay text', () => {
  it('drops idle zeros and nothing else', () => {
    expect(['2.400000', '10', '100.50', '0.000000'].map(plain)).toEqual(['2.4', '10', '100.5', '0']);
    expect(plain('1234567890.123456789012345')).toBe('1234567890.123456789012345');
  });

  it('adds up exactly', () => {
    expect([['0.1', '0.2'], ['-0.5', '2'], ['1234567890.123456', '.000001'], ['-1', '0.25'], []].map(total)).toEqual([
      '0.3',
      '1.5',
      '1234567890.123457',
      '-0.75',
      '0',
    ]);
  });

  it('knows zero in every spelling', () => {
    expect(['0', '0.000000', '-0.00', '.0'].every(isZero)).toBe(true);
    expect(['0.000001', '-1', '10'].some(isZero)).toBe(false);
  });

  it('shows a share as percent without a float remainder', () => {
    expect([percent('0.95'), percent('0.07'), percent('0.293')]).toEqual(['95 %', '7 %', '29.3 %']);
  });

  it('tells favourable from unfavourable by sign', () => {
    expect(variance('122.69')).toEqual({ amount: '122.69', side: 'U' });
    expect(variance('-64.00')).toEqual({ amount: '64.00', side: 'F' });
    expect(variance('0.00').side).toBe('');
  });
});

describe('shifts of a week', () => {
  const week: Shift[] = [
    ...[0, 1, 2, 3, 4].map((weekday) => ({ weekday, start: 420, end: 930 })),
    { weekday: 5, start: 1320, end: 360 },
  ];

  it('are grouped by their hours and come back the same', () => {
    const groups = groupShifts(week);

    expect(groups.map((g) => g.days)).toEqual([[0, 1, 2, 3, 4], [5]]);
    expect(ungroupShifts(groups)).toEqual(week);
  });

  it('are said as people say them', () => {
    expect(weekWords(week)).toBe('Mon to Fri 07:00–15:30; Sat 22:00–06:00');
    expect(dayWords([2, 0])).toBe('Mon, Wed');
    expect(weekWords([])).toBe('no shift');
  });

  it('take times of the day only', () => {
    expect(['07:30', '23:59', '24:00', 'noon', '7:5'].map(minuteOf)).toEqual([450, 1439, null, null, null]);
    expect(clock(450)).toBe('07:30');
  });
});
