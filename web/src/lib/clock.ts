/** Minutes of the day, as people write them. */

export function clock(minute: number): string {
  return `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
}

export function minuteOf(text: string): number | null {
  const found = /^(\d{1,2}):(\d{2})$/.exec(text);
  if (!found) return null;
  const minute = Number(found[1]) * 60 + Number(found[2]);
  return minute < 24 * 60 ? minute : null;
}

export const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

export interface Shift {
  weekday: number;
  start: number;
  end: number;
}

/** Shifts at the same hours on several days. */
export interface ShiftGroup {
  days: number[];
  start: number;
  end: number;
}

export function groupShifts(shifts: Shift[]): ShiftGroup[] {
  const groups: ShiftGroup[] = [];
  for (const s of shifts) {
    const group = groups.find((g) => g.start === s.start && g.end === s.end);
    if (group) group.days.push(s.weekday);
    else groups.push({ days: [s.weekday], start: s.start, end: s.end });
  }
  return groups;
}

export function ungroupShifts(groups: ShiftGroup[]): Shift[] {
  return groups.flatMap((g) => g.days.map((weekday) => ({ weekday, start: g.start, end: g.end })));
}

/** Return days as words: "Mon to Fri", "Mon, Wed". */
export function dayWords(days: number[]): string {
  const sorted = [...days].sort((a, b) => a - b);
  const [first = 0] = sorted;
  const last = sorted.at(-1) ?? first;
  if (sorted.length > 2 && last - first === sorted.length - 1) return `${weekdays[first]} to ${weekdays[last]}`;
  return sorted.map((d) => weekdays[d]).join(', ');
}

export function weekWords(shifts: Shift[]): string {
  if (shifts.length === 0) return 'no shift';
  return groupShifts(shifts)
    .map((g) => `${dayWords(g.days)} ${clock(g.start)}–${clock(g.end)}`)
    .join('; ');
}
