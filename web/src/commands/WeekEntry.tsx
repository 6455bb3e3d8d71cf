import { useState } from 'react';
import { clock, groupShifts, minuteOf, type Shift, type ShiftGroup, ungroupShifts, weekdays } from '../lib/clock';
import { Button } from '../ui/Button';

/** The shifts of a week: hours, and the days that have them. */
export function WeekEntry({ shifts, onShifts }: { shifts: Shift[]; onShifts: (shifts: Shift[]) => void }) {
  const [groups, setGroups] = useState<ShiftGroup[]>(() => groupShifts(shifts));
  function change(next: ShiftGroup[]) {
    setGroups(next);
    onShifts(ungroupShifts(next));
  }
  const patch = (n: number, more: Partial<ShiftGroup>) => change(groups.map((g, k) => (k === n ? { ...g, ...more } : g)));
  return (
    <fieldset>
      <legend className="mb-1 text-quiet">Shifts of the week</legend>
      {groups.map((g, n) => (
        <div key={n} className="mb-2 border-b border-hair pb-2">
          <div className="flex items-center gap-2">
            {(['start', 'end'] as const).map((end) => (
              <label key={end} className="flex items-center gap-1.5 text-quiet">
                {end === 'start' ? 'from' : 'to'}
                <input
                  type="time"
                  className="entry"
                  aria-label={`Shift ${n + 1} ${end === 'start' ? 'from' : 'to'}`}
                  value={clock(g[end])}
                  onChange={(e) => patch(n, { [end]: minuteOf(e.target.value) ?? g[end] })}
                />
              </label>
            ))}
            <Button look="link" onClick={() => change(groups.filter((_, k) => k !== n))}>
              remove
            </Button>
          </div>
          <div className="mt-1 flex flex-wrap gap-x-3">
            {weekdays.map((name, d) => (
              <label key={name} className="inline-flex items-center gap-1">
                <input
                  type="checkbox"
                  aria-label={`Shift ${n + 1} on ${name}`}
                  checked={g.days.includes(d)}
                  onChange={(e) => patch(n, { days: e.target.checked ? [...g.days, d] : g.days.filter((x) => x !== d) })}
                />
                {name}
              </label>
            ))}
          </div>
        </div>
      ))}
      <Button look="link" onClick={() => change([...groups, { days: [0, 1, 2, 3, 4], start: 480, end: 960 }])}>
        Add a shift
      </Button>
    </fieldset>
  );
}
