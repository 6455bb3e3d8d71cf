import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { calendarsOptions, labourGradesOptions, workCentersOptions } from '../../api/queries';
import { overheadsOptions, type WorkCenter } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { DerivationLink } from '../../derivation/DerivationLink';
import { weekWords } from '../../lib/clock';
import { day } from '../../lib/date';
import { percent, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money, UnitCost } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { NotesBlock } from './ItemBlocks';
import { useMay, useReads } from '../../commands/useMay';

/** What a form of new rates begins with: those in force, from tomorrow on. */
function ratesGiven(w: WorkCenter) {
  const now = w.rates.find((r) => r.is_in_force);
  return {
    work_center: w.code,
    labour_rate: plain(now?.labour_rate ?? '0'),
    effective_from: tomorrow(),
    layers: (now?.layers ?? []).map((l) => ({
      name: l.name,
      element: l.element,
      ...(l.of ? { of: l.of, percent: plain(l.percent) } : { amount: plain(l.amount) }),
    })),
  };
}

function tomorrow(): string {
  const next = new Date();
  next.setDate(next.getDate() + 1);
  return next.toISOString().slice(0, 10);
}

/** How the hour of a work center is made up, the latest rates first. */
function RatesBlock({ center: w }: { center: WorkCenter }) {
  return (
    <table className="rows" aria-label={`Rates of ${w.code}`}>
      <thead>
        <tr>
          <th className="pl-4!">An hour at {w.code}</th>
          <th>charged to</th>
          <th className="num">EUR/h</th>
        </tr>
      </thead>
      {w.rates.map((r) => (
        <tbody key={r.effective_from ?? ''} className={r.is_in_force ? '' : 'text-quiet'}>
          <tr className="[&>td]:border-t-hair-strong">
            <td className="pl-4! font-semibold">
              {r.effective_from ? `from ${day(r.effective_from)}` : 'from the beginning'}
              {r.is_in_force && <span className="ml-2 text-[12px] font-normal text-quiet">in force</span>}
            </td>
            <td className="text-quiet">machine</td>
            <td className="num font-semibold">
              <Money value={r.machine_rate} />
            </td>
          </tr>
          {r.layers.map((l) => (
            <tr key={l.name}>
              <td className="pl-7!">
                {l.name}
                {l.of && (
                  <span className="ml-2 text-[12px] text-quiet">
                    {percent(l.percent)} of {l.of}
                  </span>
                )}
              </td>
              <td className="text-quiet">{l.element}</td>
              <td className="num">
                <Money value={l.per_hour} />
              </td>
            </tr>
          ))}
          <tr>
            <td className="pl-7!">a person without a grade</td>
            <td className="text-quiet">labour</td>
            <td className="num">
              <Money value={r.labour_rate} />
            </td>
          </tr>
        </tbody>
      ))}
    </table>
  );
}

/** Skills of people, with what an hour of one of them costs. */
function LabourGradesBlock() {
  const grades = useQuery(labourGradesOptions());
  const { start } = useCommands();
  const may = useMay();
  return (
    <section aria-label="Labour grades">
      <div className="flex flex-wrap items-center justify-between px-4 pb-1">
        <h2>Labour grades</h2>
        {may.has('define-labour-grade') && <Button onClick={() => start('define-labour-grade')}>Define a grade…</Button>}
      </div>
      <table className="rows" aria-label="Labour grades">
        <thead>
          <tr>
            <th className="pl-4!">Code</th>
            <th>Name</th>
            <th className="num">EUR/h</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {grades.data?.map((g) => (
            <tr key={g.code}>
              <td className="code pl-4!">{g.code}</td>
              <td className="w-full">
                {g.name}{' '}
                {g.rates
                  .filter((r) => r.effective_from)
                  .map((r) => (
                    <span key={r.effective_from} className="ml-2 text-[12px] text-quiet">
                      {plain(r.rate)} from {day(r.effective_from ?? '')}
                    </span>
                  ))}
              </td>
              <td className="num">
                <Money value={g.rate} />
              </td>
              <td className="num pr-4!">
                {may.has('set-grade-rate') && (
                  <Button look="link" onClick={() => start('set-grade-rate', { grade: g.code, effective_from: tomorrow(), rate: plain(g.rate) })}>
                    Rate of {g.code}…
                  </Button>
                )}
              </td>
            </tr>
          ))}
          {grades.data?.length === 0 && (
            <tr>
              <td colSpan={4} className="pl-4! text-quiet">
                None yet: every work center has one rate for people. Define a grade where skills cost differently.
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}

/** Budgets of overhead, and the rate that each gives. */
function OverheadsBlock() {
  const overheads = useQuery(overheadsOptions());
  const { start } = useCommands();
  const may = useMay();
  return (
    <section aria-label="Overhead">
      <div className="flex flex-wrap items-center justify-between px-4 pb-1">
        <h2>Overhead</h2>
        {may.has('set-overhead') && <Button onClick={() => start('set-overhead')}>Set a budget…</Button>}
      </div>
      <table className="rows" aria-label="Overhead budgets">
        <thead>
          <tr>
            <th className="pl-4!">Overhead</th>
            <th>is</th>
            <th>charged by</th>
            <th className="num">budget</th>
            <th className="num">capacity</th>
            <th className="num">rate</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {overheads.data?.map((o) => (
            <tr key={o.code + o.effective_from} className={o.is_in_force ? '' : 'text-quiet'}>
              <td className="w-full pl-4!">
                {o.name} <span className="code text-quiet">{o.code}</span>
                <span className="ml-2 text-[12px] text-quiet">
                  {o.effective_from} until {o.effective_until}
                </span>
              </td>
              <td className="whitespace-nowrap text-quiet">{o.element}</td>
              <td className="whitespace-nowrap text-quiet">
                {o.base} {o.work_center && `at ${o.work_center}`}
              </td>
              <td className="num">
                <Money value={o.budget} />
              </td>
              <td className="num">
                {quantity(o.capacity)} <span className="text-[12px] text-quiet">{o.capacity_basis}</span>
              </td>
              <td className="num">
                <DerivationLink rows={o.derivation} title={`Rate of ${o.code}`}>
                  <UnitCost value={o.rate} />
                </DerivationLink>
              </td>
              <td className="num pr-4!">
                {may.has('set-overhead') && (
                  <Button
                    look="link"
                    aria-label={`Change ${o.code}`}
                    onClick={() =>
                      start('set-overhead', {
                        code: o.code,
                        name: o.name,
                        element: o.element,
                        base: o.base,
                        work_center: o.work_center ?? '',
                        effective_from: o.effective_from,
                        effective_until: o.effective_until,
                        budget: plain(o.budget),
                        capacity: plain(o.capacity),
                        capacity_basis: o.capacity_basis,
                      })
                    }
                  >
                    Change…
                  </Button>
                )}
              </td>
            </tr>
          ))}
          {overheads.data?.length === 0 && (
            <tr>
              <td colSpan={7} className="pl-4! text-quiet">
                None: what is not in a machine's hour is not in the standard.
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}

/** Where operations run: what an hour costs, what can be done in it, and when. */
export function WorkCentersPage() {
  const reads = useReads();
  const centers = useQuery(workCentersOptions());
  const calendars = useQuery(calendarsOptions());
  const { start, started } = useCommands();
  const may = useMay();
  const [query, setQuery] = useSearchParams();
  const shown = query.get('code') ?? '';
  const week = (code: string | null) => {
    const found = calendars.data?.find((c) => c.code === code);
    return found ? weekWords(found.shifts) : 'Mon to Fri 08:00–16:00';
  };
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3 pb-2">
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
                    {may.has('set-rates') && (
                      <Button look="link" className="mr-3" aria-label={`Rates of ${w.code}`} onClick={() => start('set-rates', ratesGiven(w))}>
                        Rates…
                      </Button>
                    )}
                    {may.has('change-work-center') && (
                      <Button look="link" aria-label={`Change ${w.code}`} onClick={() => start('change-work-center', { code: w.code })}>
                        Change…
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
      <div className={`grid gap-x-6 gap-y-4 pt-4 ${started ? '' : 'lg:grid-cols-2'}`}>
        <div className="space-y-4">
          {centers.data?.filter((w) => w.code === shown).map((w) => <RatesBlock key={w.code} center={w} />)}
          {shown && (
            <div className="px-2">
              <NotesBlock key={shown} kind="work center" code={shown} />
            </div>
          )}
          {!shown && <p className="px-4 text-quiet">Choose a code to see how its hour is made up, from when, and what was noted on it.</p>}
        </div>
        <LabourGradesBlock />
      </div>
      <div className="pt-4">
        {reads.costs && <OverheadsBlock />}
      </div>
    </article>
  );
}
