import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { day, moment, shortDay } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { ChainLink } from '../../stock/ChainLink';
import { Origin } from '../../stock/StepTable';
import { Loaded } from '../../ui/States';
import { BetweenSites } from './BetweenSites';
import { PlanLoads } from './PlanLoads';
import { type Advice, adviceOptions, type Endangered, endangeredOptions, planOptions, type PlanRun } from './queries';

/** With no item chosen: what exists and should come another day, what was not planned, and the what-ifs. */
export function WholePage() {
  const plan = useQuery(planOptions());
  const advice = useQuery(adviceOptions());
  const endangered = useQuery(endangeredOptions());
  return (
    <article>
      {plan.data?.plan && (
        <section aria-label="Promises" className="pt-2 pb-4">
          <h2 className="px-4">What customers will not get in time, as orders stand now</h2>
          <Loaded query={endangered}>{(page) => <InDanger rows={page.rows} whole={page.whole} />}</Loaded>
        </section>
      )}
      <section aria-label="What exists" className="pt-2">
        <h2 className="px-4">What exists and should come another day</h2>
        <Loaded query={advice}>{(page) => <Moves rows={page.rows} whole={page.whole} />}</Loaded>
      </section>
      {plan.data?.plan && <BetweenSites />}
      {plan.data?.plan && <PlanLoads run={plan.data.plan.run} />}
      {plan.data?.plan && plan.data.plan.told.length > 0 && (
        <section aria-label="Not planned" className="px-4 pt-4">
          <h2>How it was planned</h2>
          {plan.data.plan.told.map((words) => (
            <p key={words} className="text-quiet">
              {words}
            </p>
          ))}
        </section>
      )}
      {plan.data && plan.data.what_ifs.length > 0 && <WhatIfs runs={plan.data.what_ifs} />}
    </article>
  );
}

function InDanger({ rows, whole }: { rows: Endangered[]; whole: number }) {
  if (rows.length === 0) return <p className="px-4 py-2 text-quiet">By this plan every customer gets what was promised, when it was promised.</p>;
  return (
    <>
      <table className="rows" aria-label="Promises in danger">
        <thead>
          <tr>
            <th className="pl-4!">Order</th>
            <th>item</th>
            <th>due</th>
            <th>there</th>
            <th className="pr-4!">it waits for</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((e) => (
            <tr key={`${e.order} ${e.line}`}>
              <td className="pl-4! whitespace-nowrap">
                <Link className="code quiet-link" to={`/sell/${e.order}`}>
                  {e.order}
                </Link>{' '}
                <span className="text-quiet">line {e.line}</span>
                <span className="block max-w-40 truncate text-[12px] text-quiet" title={e.customer_name}>
                  {e.customer_name}
                </span>
              </td>
              <td className="w-1/3">
                {quantity(e.quantity)} {e.unit} {e.name} <ChainLink item={e.item} way="down" source="customer order" number={e.order} line={e.line} />
              </td>
              <td className="whitespace-nowrap">{shortDay(e.due)}</td>
              <td className="whitespace-nowrap text-attention">{e.comes ? shortDay(e.comes) : 'not known'}</td>
              <td className="w-1/2 pr-4!">
                <Link className="quiet-link" to={`/plan/items/${encodeURIComponent(e.cause)}`}>
                  {e.waits_for}
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {whole > rows.length && <p className="px-4 py-1 text-quiet">and {whole - rows.length} more</p>}
    </>
  );
}

function Moves({ rows, whole }: { rows: Advice[]; whole: number }) {
  if (rows.length === 0) return <p className="px-4 py-2 text-quiet">All that is ordered comes when it is wanted, within three working days.</p>;
  return (
    <>
      <table className="rows" aria-label="Orders to move">
        <thead>
          <tr>
            <th className="pl-4!">Order</th>
            <th>item</th>
            <th className="num">quantity</th>
            <th>comes</th>
            <th className="pr-4!">wanted</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((a) => (
            <tr key={`${a.source} ${a.number} ${a.item} ${a.on}`}>
              <td className="pl-4! whitespace-nowrap">
                <Origin kind={a.source} number={a.number} />
              </td>
              <td className="w-full">
                {a.name}{' '}
                <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(a.item)}`}>
                  {a.item}
                </Link>
              </td>
              <td className="num">
                {quantity(a.quantity)}
                <span className="unit">{a.unit}</span>
              </td>
              <td className="whitespace-nowrap">{day(a.on)}</td>
              <td className="pr-4! whitespace-nowrap">
                {a.to ? day(a.to) : <span className="text-quiet">by nobody</span>} {a.act === 'sooner' && <span className="text-attention">sooner</span>}
                {a.act === 'later' && <span className="text-quiet">later</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {whole > rows.length && <p className="px-4 py-1 text-quiet">and {whole - rows.length} more</p>}
    </>
  );
}

function WhatIfs({ runs }: { runs: PlanRun[] }) {
  return (
    <section aria-label="What-ifs" className="pt-4">
      <h2 className="px-4">What if</h2>
      <table className="rows" aria-label="What-ifs tried">
        <tbody>
          {runs.map((r) => (
            <tr key={r.run}>
              <td className="w-full pl-4!">
                <Link className="quiet-link" to={`/plan/what-ifs/${r.run}`}>
                  {r.assumes || 'as it is'}
                </Link>
              </td>
              <td className="whitespace-nowrap text-quiet">{moment(r.made_at)}</td>
              <td className="num pr-4!">
                {r.proposals} proposals, {r.late} too late
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
