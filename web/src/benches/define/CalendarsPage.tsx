import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { calendarsOptions } from '../../api/queries';
import type { Calendar, Holiday } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { weekWords } from '../../lib/clock';
import { Button } from '../../ui/Button';
import { ApiError, type Problem, sendFile } from '../../api/http';
import { FileEntry } from '../../ui/FileEntry';
import { Empty, Loaded, ProblemNote } from '../../ui/States';
import { YearGrid } from './YearGrid';
import { useMay } from '../../commands/useMay';

/** Calendars: the week of each, its closures and extra shifts, and a whole year at a glance. */
export function CalendarsPage() {
  const calendars = useQuery(calendarsOptions());
  const { start } = useCommands();
  const may = useMay();
  const [query, setQuery] = useSearchParams();
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>Calendars</h1>
          <p className="text-quiet">When work centers work. Dates of orders follow from them; two work centers may share one.</p>
        </div>
        {may.has('define-calendar') && <Button onClick={() => start('define-calendar')}>Define a calendar…</Button>}
      </header>
      <Loaded query={calendars}>
        {(rows) => {
          const shown = rows.find((c) => c.code === query.get('code')) ?? rows[0];
          if (!shown) return <Empty>No calendar yet: weekdays from 8 to 16 count. Define one with the shifts of its week.</Empty>;
          return (
            <>
              <Table rows={rows} shown={shown} onShow={(code) => setQuery({ code }, { replace: true })} />
              <YearGrid key={shown.code} calendar={shown} />
              <Files calendar={shown} />
            </>
          );
        }}
      </Loaded>
    </article>
  );
}

function Table({ rows, shown, onShow }: { rows: Calendar[]; shown: Calendar; onShow: (code: string) => void }) {
  const { start } = useCommands();
  const may = useMay();
  return (
    <table className="rows" aria-label="Calendars">
      <thead>
        <tr>
          <th className="pl-4!">Code</th>
          <th>Name</th>
          <th>Week</th>
          <th>Zone</th>
          <th>Used by</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {rows.map((c) => (
          <tr key={c.code} className={c.code === shown.code ? 'bg-sheet' : ''}>
            <td className="pl-4!">
              <button type="button" className="code quiet-link cursor-pointer" aria-pressed={c.code === shown.code} onClick={() => onShow(c.code)}>
                {c.code}
              </button>
            </td>
            <td>{c.name}</td>
            <td>{weekWords(c.shifts)}</td>
            <td className="text-quiet">{c.zone}</td>
            <td className="code">{c.work_centers.join(', ')}</td>
            <td className="num pr-4!">
              {may.has('change-calendar') && (
                <Button look="link" onClick={() => start('change-calendar', { code: c.code, name: c.name, shifts: c.shifts })}>
                  Change {c.code}…
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Holidays in, the calendar out, as iCalendar. */
function Files({ calendar }: { calendar: Calendar }) {
  const { start } = useCommands();
  const may = useMay();
  const [problem, setProblem] = useState<Problem | null>(null);
  async function bring(file: File) {
    setProblem(null);
    try {
      const holidays = (await sendFile('/api/calendars/read', file)) as Holiday[];
      start('close-holidays', { calendar: calendar.code, holidays });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }
  return (
    <div className="space-y-2 px-4 pt-2 pb-4">
      <div className="flex flex-wrap items-center gap-4">
        <a className="quiet-link text-act" href={`/api/calendars/${encodeURIComponent(calendar.code)}/icalendar`} download>
          Export {calendar.code} as iCalendar
        </a>
        {may.has('close-holidays') && (
          <FileEntry label="Holidays from an iCalendar file" accept=".ics,text/calendar" onFile={(file) => void bring(file)} />
        )}
      </div>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}
