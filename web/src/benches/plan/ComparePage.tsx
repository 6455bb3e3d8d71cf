import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { day } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { Loaded } from '../../ui/States';
import { PlanLoads } from './PlanLoads';
import { comparedOptions } from './queries';

/** What a what-if proposes otherwise than the plan: which items, how much, from when on, for how much money. */
export function ComparePage() {
  const run = Number(useParams()['run']);
  const found = useQuery(comparedOptions(run));
  return (
    <Loaded query={found}>
      {(c) => (
        <article className="pt-2">
          <h2 className="px-4">{c.tried.assumes || 'As it is'}</h2>
          <p className="px-4 text-quiet">
            {c.whole === 0 ? 'It proposes what the plan proposes.' : `${c.whole} items otherwise, ${money(c.cost)} EUR more at standard; ${c.tried.late} proposals too late instead of ${c.plan.late}.`}{' '}
            {(!isZero(c.planned_over) || !isZero(c.tried_over)) && `Work centers have ${quantity(c.tried_over)} h too many instead of ${quantity(c.planned_over)} h.`}
          </p>
          {c.rows.length > 0 && (
            <table className="rows" aria-label="What moves">
              <thead>
                <tr>
                  <th className="pl-4!">Item</th>
                  <th className="num">planned</th>
                  <th className="num">what if</th>
                  <th>first ordered</th>
                  <th>what if</th>
                  <th className="num pr-4!">EUR more</th>
                </tr>
              </thead>
              <tbody>
                {c.rows.map((r) => (
                  <tr key={r.item}>
                    <td className="w-full pl-4!">
                      {r.name}{' '}
                      <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(r.item)}`}>
                        {r.item}
                      </Link>
                    </td>
                    <td className="num">{isZero(r.planned) ? '–' : quantity(r.planned)}</td>
                    <td className="num font-semibold">
                      {isZero(r.tried) ? '–' : quantity(r.tried)}
                      <span className="unit">{r.unit}</span>
                    </td>
                    <td className="whitespace-nowrap">{r.planned_on ? day(r.planned_on) : '–'}</td>
                    <td className="whitespace-nowrap">{r.tried_on ? day(r.tried_on) : '–'}</td>
                    <td className="num pr-4!">{r.cost && money(r.cost)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <PlanLoads run={run} />
        </article>
      )}
    </Loaded>
  );
}
