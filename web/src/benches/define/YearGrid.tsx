import { useQuery } from '@tanstack/react-query';
import { type KeyboardEvent, useRef, useState } from 'react';
import { basicsOptions } from '../../api/queries';
import { type Calendar, type CalendarDay, yearOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { day as dayWords } from '../../lib/date';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { useMay } from '../../commands/useMay';

const monthName = new Intl.DateTimeFormat(undefined, { month: 'short' });
const hours = (minutes: number) => (minutes === 0 ? '·' : String(Math.round((minutes / 60) * 10) / 10));
const monthOf = (day: string) => Number(day.slice(5, 7));
const isWeekend = (day: string) => [0, 6].includes(new Date(`${day}T12:00:00`).getDay());

/** A year as a sheet: a row for each month, the hours of each day in it; days are chosen and changed. */
export function YearGrid({ calendar }: { calendar: Calendar }) {
  const basics = useQuery(basicsOptions());
  return <Loaded query={basics}>{(b) => <Year calendar={calendar} today={b.today} />}</Loaded>;
}

function Year({ calendar, today }: { calendar: Calendar; today: string }) {
  const [year, setYear] = useState(Number(today.slice(0, 4)));
  const data = useQuery(yearOptions(calendar.code, year));
  return (
    <section aria-label={`Year ${year} of ${calendar.code}`} className="px-4 pt-4">
      <div className="flex items-center gap-3 pb-1">
        <Button onClick={() => setYear(year - 1)} aria-label="The year before">
          ←
        </Button>
        <h2>
          {calendar.name}, {year}
        </h2>
        <Button onClick={() => setYear(year + 1)} aria-label="The year after">
          →
        </Button>
        <span className="text-[12px] text-quiet">hours of the shifts that begin on each day</span>
      </div>
      <Loaded query={data}>{(y) => <Sheet key={year} calendar={calendar} days={y.days} today={today} />}</Loaded>
    </section>
  );
}

function Sheet({ calendar, days, today }: { calendar: Calendar; days: CalendarDay[]; today: string }) {
  const { start } = useCommands();
  const may = useMay();
  const begin = Math.max(0, days.findIndex((d) => d.day === today));
  const [from, setFrom] = useState(begin);
  const [to, setTo] = useState(begin);
  const table = useRef<HTMLTableElement>(null);
  const [first, last] = [days[Math.min(from, to)], days[Math.max(from, to)]];
  if (!first || !last) return null;
  const months = Array.from({ length: 12 }, (_, m) => days.filter((d) => monthOf(d.day) === m + 1));
  const chosen = { calendar: calendar.code, first: first.day, last: last.day };
  const isOne = first.day === last.day;

  function choose(n: number, extend: boolean) {
    const next = Math.max(0, Math.min(n, days.length - 1));
    setTo(next);
    if (!extend) setFrom(next);
    requestAnimationFrame(() => table.current?.querySelector<HTMLElement>(`[data-day="${next}"]`)?.focus());
  }

  function onKeyDown(event: KeyboardEvent, n: number) {
    const up = days[n] ? new Date(Number(days[n].day.slice(0, 4)), monthOf(days[n].day) - 1, 0).getDate() : 31;
    const down = days[n] ? new Date(Number(days[n].day.slice(0, 4)), monthOf(days[n].day), 0).getDate() : 31;
    const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -up, ArrowDown: down };
    const step = steps[event.key];
    if (step === undefined) return;
    event.preventDefault();
    choose(n + step, event.shiftKey);
  }

  return (
    <>
      <div className="overflow-x-auto">
        <table ref={table} role="grid" aria-label={`Days of ${calendar.code}`} aria-multiselectable className="border-collapse text-[12px]">
          <thead>
            <tr>
              <td className="w-14" />
              {Array.from({ length: 31 }, (_, d) => (
                <th key={d} className="w-7 font-normal text-quiet">
                  {d + 1}
                </th>
              ))}
              <th className="pl-2 text-right font-normal text-quiet">hours</th>
            </tr>
          </thead>
          <tbody>
            {months.map((month, m) => (
              <tr key={m}>
                <th className="text-left font-normal text-quiet">{monthName.format(new Date(2026, m, 1))}</th>
                {month.map((d) => {
                  const n = days.indexOf(d);
                  const isChosen = n >= Math.min(from, to) && n <= Math.max(from, to);
                  return (
                    <td
                      key={d.day}
                      data-day={n}
                      tabIndex={n === to ? 0 : -1}
                      aria-selected={isChosen}
                      aria-label={`${dayWords(d.day)}: ${hours(d.minutes)} h${d.kind ? `, ${d.kind}` : ''}${d.why ? `, ${d.why}` : ''}`}
                      title={`${dayWords(d.day)}${d.why ? `: ${d.why}` : ''}`}
                      onClick={(e) => choose(n, e.shiftKey)}
                      onKeyDown={(e) => onKeyDown(e, n)}
                      className={`h-[22px] cursor-pointer border border-hair text-center ${isWeekend(d.day) ? 'text-quiet' : ''} ${d.kind === 'closed' ? 'bg-attention-wash font-semibold text-attention' : d.kind === 'extra' ? 'font-semibold underline' : ''} ${d.day === today ? 'border-b-2 border-b-act' : ''} aria-selected:bg-act aria-selected:text-act-ink`}
                    >
                      {d.kind === 'closed' && d.minutes === 0 ? '×' : hours(d.minutes)}
                    </td>
                  );
                })}
                {Array.from({ length: 31 - month.length }, (_, d) => (
                  <td key={`empty${d}`} />
                ))}
                <td className="pl-2 text-right">{hours(month.reduce((sum, d) => sum + d.minutes, 0))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="pt-1 text-[12px] text-quiet">
        × closed, underlined: an extra shift. Arrows move, Shift extends, or click and Shift-click.
      </p>
      <div className="flex flex-wrap items-center gap-2 py-2">
        <strong>{isOne ? dayWords(first.day) : `${dayWords(first.day)} to ${dayWords(last.day)}`}</strong>
        {may.has('close-days') && <Button onClick={() => start('close-days', chosen)}>{isOne ? 'Close this day…' : 'Close these days…'}</Button>}
        {may.has('add-shift') && (
          <Button onClick={() => start('add-shift', { calendar: calendar.code, day: first.day, start: 480, end: 720 })}>Add a shift…</Button>
        )}
        {may.has('open-days') && <Button onClick={() => start('open-days', chosen)}>Back to the week…</Button>}
      </div>
    </>
  );
}
