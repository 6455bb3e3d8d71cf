import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { calendarsOptions, commandsOptions, workCentersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { weekWords } from '../../lib/clock';
import { percent } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { NotesBlock } from './ItemBlocks';

/** Where operations run: what an hour costs, what can be done in it, and when. */
export function WorkCentersPage() {
  const centers = useQuery(workCentersOptions());
  const calendars = useQuery(calendarsOptions());
  const { start, started } = useCommands();
  const may = new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
  const [query, setQuery] = useSearchParams();
  const shown = query.get('code') ?? '';
  const week = (code: string | null) => {
    const found = calendars.data?.find((c) => c.code === code);
    return found ? weekWords(found.shifts) : 'Mon to Fri 08:00–16:00';
  };
  return (
    <article>
      <header className="flex items-start justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>Work centers</h1>
          <p className="text-quiet">
            Where operations run, what an hour costs, when they work. Frozen standards keep the rates they were frozen with.
          </p>
        </div>
        <span className="flex items-center gap-2">
          <Link className="quiet-link text-act" to="/define/calendars">
            Calendars
          </Link>
          {may.has('define-work-center') && (
            <Button onClick={() => start('define-work-center')}>Define a work center…</Button>
          )}
        </span>
      </header>
      <Loaded query={centers}>
        {(rows) => (
          <table className="rows" aria-label="Work centers">
            <thead>
              <tr>
                <th className="pl-4!">Code</th>
                <th>Name</th>
                <th className="num">machines</th>
                <th className="num">efficiency</th>
                <th>calendar</th>
                <th className="num">machine, EUR/h</th>
                <th className="num">labour, EUR/h</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rows.map((w) => (
                <tr key={w.code} className={w.code === shown ? 'bg-sheet' : ''}>
                  <td className="pl-4!">
                    <button
                      type="button"
                      className="code quiet-link cursor-pointer"
                      aria-pressed={w.code === shown}
                      title={`Notes on ${w.code}`}
                      onClick={() => setQuery({ code: w.code }, { replace: true })}
                    >
                      {w.code}
                    </button>
                  </td>
                  <td className="w-full">{w.name}</td>
                  <td className="num">{w.machines}</td>
                  <td className="num">{percent(w.efficiency)}</td>
                  <td className="whitespace-nowrap">
                    {w.calendar ? (
                      <Link className="code quiet-link" to={`/define/calendars?code=${encodeURIComponent(w.calendar)}`}>
                        {w.calendar}
                      </Link>
                    ) : (
                      <span className="text-attention">none</span>
                    )}{' '}
                    {!started && <span className="text-[12px] text-quiet">{week(w.calendar)}</span>}
                  </td>
                  <td className="num">
                    <Money value={w.machine_rate} />
                  </td>
                  <td className="num">
                    <Money value={w.labour_rate} />
                  </td>
                  <td className="num pr-4!">
                    {may.has('change-work-center') && (
                      <Button look="link" onClick={() => start('change-work-center', { code: w.code })}>
                        Change {w.code}…
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
              {rows.length === 0 && (
                <tr>
                  <td colSpan={8} className="pl-4! text-quiet">
                    No work center yet. Define the first one: a name and what an hour of machine and labour costs.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        )}
      </Loaded>
      {shown && (
        <div className="max-w-[680px] px-2 pt-4">
          <NotesBlock key={shown} kind="work center" code={shown} />
        </div>
      )}
    </article>
  );
}
