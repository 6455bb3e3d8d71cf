import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { isZero, percent, quantity } from '../../lib/decimal';
import { Loaded } from '../../ui/States';
import { type PlannedLoads, type PlannedWeek, plannedLoadsOptions } from './queries';

/** Weeks that are shown beside each other, work centers below each other, and overloads that are said in words. */
const WEEKS = 8;
const CENTERS = 12;
const SAID = 4;

/** What a run and orders load work centers with, and what loads them most where that is too much. */
export function PlanLoads({ run }: { run: number }) {
  const loads = useQuery(plannedLoadsOptions(run));
  return (
    <section aria-label="Load" className="pt-4">
      <h2 className="px-4">What work centers would be loaded with</h2>
      <Loaded query={loads}>{(found) => (found.centers.length === 0 ? <p className="px-4 py-2 text-quiet">Nothing: no work is ordered or proposed.</p> : <Shown loads={found} />)}</Loaded>
    </section>
  );
}

function Shown({ loads }: { loads: PlannedLoads }) {
  const weeks = loads.weeks.slice(0, WEEKS);
  const over = loads.centers.flatMap((c) => c.weeks.filter((w) => !isZero(w.over)).map((w) => ({ center: c, week: w })));
  return (
    <>
      {over.length === 0 ? (
        <p className="px-4 pb-1 text-quiet">No work center would have more to do than it can.</p>
      ) : (
        <ul className="px-4 pb-2" aria-label="Where it is too much">
          {over.slice(0, SAID).map(({ center, week }) => (
            <li key={`${center.code} ${week.week}`}>
              <span className="text-attention">
                {center.name}, {week.week}: {quantity(week.over)} h too many
              </span>
              {week.most.length > 0 && <span className="text-quiet">, most of it {week.most.join(', ')}</span>}
            </li>
          ))}
          {over.length > SAID && <li className="text-quiet">and {over.length - SAID} weeks more</li>}
        </ul>
      )}
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Load by week">
          <thead>
            <tr>
              <th className="pl-4!">Work center</th>
              {weeks.map((w) => (
                <th key={w} className="num">
                  {w.slice(5)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {loads.centers.slice(0, CENTERS).map((c) => (
              <tr key={c.code}>
                <td className="w-full pl-4!">
                  <Link className="quiet-link" to={`/release/lists/${encodeURIComponent(c.code)}`}>
                    {c.name}
                  </Link>
                </td>
                {weeks.map((w) => (
                  <Cell key={w} week={c.weeks.find((own) => own.week === w)} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {loads.centers.length > CENTERS && <p className="px-4 py-1 text-quiet">and {loads.centers.length - CENTERS} work centers more</p>}
    </>
  );
}

/** A week's load as a share of what can be done, its hours beside the pointer. */
function Cell({ week: w }: { week: PlannedWeek | undefined }) {
  if (!w) return <td className="num text-quiet">–</td>;
  const isOver = !isZero(w.over);
  return (
    <td className={`num ${isOver ? 'bg-attention-wash font-semibold text-attention' : ''}`} title={`${quantity(w.ordered)} h of orders, ${quantity(w.proposed)} h proposed, of ${quantity(w.capacity)} h`}>
      {w.share === null ? 'closed' : percent(w.share)}
    </td>
  );
}
