import { useQuery } from '@tanstack/react-query';
import { useRef } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import { values } from '../../api/values';
import { day, moment } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { beside } from '../../orders/beside';
import { Loaded } from '../../ui/States';
import { DayBars, WeekBars } from './LoadBars';
import { hours, share } from './logic';
import { MonthByMonth } from './MonthByMonth';
import { loadOptions, workListOptions, type Load, type Rule, type WorkRow } from './queries';

/** A work center's list: what comes next by the rule chosen, and its load; for the desk, the printer and the floor. */
export function WorkListPage() {
  const code = useParams()['code'] ?? '';
  const [query, setQuery] = useSearchParams();
  const asked = query.get('by') as Rule | null;
  const by: Rule = asked && values.Rule.includes(asked) ? asked : 'due';
  const list = useQuery(workListOptions(code, by));
  const load = useQuery(loadOptions(code));
  const page = useRef<HTMLElement>(null);
  return (
    <main ref={page} className="h-full overflow-y-auto bg-ground">
      <Loaded query={list}>
        {(l) => (
          <article>
            <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
              <div>
                <h1>
                  {l.name} <span className="code text-[15px] font-normal text-quiet">{l.code}</span>
                </h1>
                {load.data && <p className="text-quiet">{nowWords(load.data)}</p>}
              </div>
              <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 print:hidden">
                <Link className="quiet-link text-act" to="/release/lists">
                  All work centers
                </Link>
                <label className="flex items-center gap-2 text-quiet">
                  next first by
                  <select className="entry w-36!" value={by} onChange={(e) => setQuery({ by: e.target.value }, { replace: true })}>
                    {values.Rule.map((r) => (
                      <option key={r} value={r}>
                        {r === 'due' ? 'due date' : r}
                      </option>
                    ))}
                  </select>
                </label>
                <Button onClick={() => void page.current?.requestFullscreen()}>Full screen</Button>
                <Button onClick={() => print()}>Print</Button>
              </div>
            </header>
            {load.data && (
              <div className="grid gap-x-8 gap-y-2 px-4 pb-3 md:grid-cols-2 print:hidden">
                <WeekBars load={load.data} />
                <DayBars load={load.data} />
              </div>
            )}
            {load.data && <Overload load={load.data} />}
            <Rows rows={l.rows} whole={l.whole} />
            <MonthByMonth code={code} />
          </article>
        )}
      </Loaded>
    </main>
  );
}

function nowWords(load: Load): string {
  const now = load.weeks[0];
  if (!now) return '';
  const machines = load.machines === 1 ? 'one machine or person' : `${load.machines} machines or people`;
  const part = share(Number(now.released) + Number(now.planned), now.capacity);
  return `${machines} · ${now.week}: ${hours(now.released)} h run and ${hours(now.planned)} h planned of ${hours(now.capacity)} h${part && `, ${part}`}`;
}

function Overload({ load }: { load: Load }) {
  const over = load.weeks.filter((w) => w.is_over);
  return over.map((w) => (
    <p key={w.week} className="mx-4 mb-1 border-l-4 border-attention bg-attention-wash px-2 py-0.5">
      {w.week} is overloaded: {share(Number(w.released) + Number(w.planned), w.capacity) || 'nothing can be done then'}. Most of it:{' '}
      {w.orders.map((n) => (
        <Link key={n} className="code quiet-link mr-2" to={`/orders/${n}`}>
          {n}
        </Link>
      ))}
    </p>
  ));
}

function Rows({ rows, whole }: { rows: WorkRow[]; whole: number }) {
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="What comes next">
        <thead>
          <tr>
            <th className="pl-4!">next</th>
            <th>Order</th>
            <th>what</th>
            <th className="num">now</th>
            <th className="num">left</th>
            <th className="num">left h</th>
            <th>due</th>
            <th className="num">slack</th>
            <th className="num">ratio</th>
            <th>state</th>
            <th className="pr-4! print:hidden">papers</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r, n) => (
            <tr key={`${r.order} ${r.operation}`}>
              <td className="pl-4!">{n + 1}</td>
              <td className="whitespace-nowrap">
                <Link className="code quiet-link" to={`/orders/${r.order}`}>
                  {r.order}
                </Link>{' '}
                {r.name} <span className="code text-quiet">{r.item}</span>
              </td>
              <td className="w-full min-w-40">
                {r.operation} {r.what}
                <span className="text-[12px] text-quiet">{beside(r)}</span>
              </td>
              <td className="num">{quantity(r.units_due)}</td>
              <td className="num">
                {hours(r.units_left)}
                <span className="unit">{r.unit}</span>
              </td>
              <td className="num">{hours(r.hours_left)}</td>
              <td className="whitespace-nowrap">{day(r.due)}</td>
              <td className={`num ${r.slack.startsWith('-') ? 'text-attention' : ''}`}>{hours(r.slack)} d</td>
              <td className="num">{r.ratio && quantity(r.ratio)}</td>
              <td className="whitespace-nowrap">
                <span className={r.state === 'waits for material' ? 'text-attention' : r.state === 'running' ? 'font-semibold' : ''}>{r.state}</span>
                {r.worker && (
                  <span className="block text-quiet">
                    {r.worker}
                    {r.since && `, since ${moment(r.since)}`}
                  </span>
                )}
                {r.missing && <span className="code block text-quiet">{r.missing}</span>}
              </td>
              <td className="pr-4! print:hidden">
                <a className="quiet-link text-act" href={`/api/papers/traveller.pdf?code=${r.order}`} target="_blank" rel="noreferrer" aria-label={`Traveller of order ${r.order}`}>
                  Traveller
                </a>
              </td>
            </tr>
          ))}
          {rows.length === 0 && (
            <tr>
              <td colSpan={11} className="pl-4! text-quiet">
                Nothing that is released waits here.
              </td>
            </tr>
          )}
        </tbody>
      </table>
      {whole > rows.length && (
        <p className="px-4 py-1 text-quiet">
          the first {rows.length} of {whole.toLocaleString()}
        </p>
      )}
    </div>
  );
}
