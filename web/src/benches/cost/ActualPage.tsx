import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { moment } from '../../lib/date';
import { isZero, money, quantity, unitCost } from '../../lib/decimal';
import { VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type Actuals, actualOptions, actualsOptions } from './queries';

/** What standard-costed items really cost in a month: from their own level, from their components; where it stays. */
export function ActualPage() {
  const [query, setQuery] = useSearchParams();
  const month = query.get('month') ?? '';
  const actuals = useQuery(actualsOptions(month));
  const a = actuals.data;
  return (
    <CostFrame
      title="Actual cost of a month"
      words={a ? `${a.name}: standards differ by ${money(a.differs)} EUR from what things cost; it goes with the goods and stays ${a.ends.map((e) => `${e.where} ${money(e.amount)}`).join(', ')}.` : 'What the standards differ by, carried to where the goods went.'}
      acts={
        <label className="flex items-center gap-1.5 text-quiet">
          Month of
          <input type="date" className="entry w-36!" value={month || (a?.month ?? '')} onChange={(e) => setQuery({ month: e.target.value }, { replace: true })} />
        </label>
      }
    >
      <Loaded query={actuals}>{(found) => (found.rows.length === 0 ? <Empty>No item with a standard differed from it in this month.</Empty> : <Table actuals={found} month={month} />)}</Loaded>
    </CostFrame>
  );
}

function Table({ actuals, month }: { actuals: Actuals; month: string }) {
  const [open, setOpen] = useState('');
  return (
    <table className="rows" aria-label="Actual cost by item">
      <thead>
        <tr>
          <th className="pl-4!">Item</th>
          <th className="num">there was</th>
          <th className="num">standard</th>
          <th className="num">actual</th>
          <th className="num" title="of the set in preparation">
            next
          </th>
          <th className="num">own level</th>
          <th className="num">components</th>
          <th className="num">EUR</th>
          <th className="pr-4!">stays</th>
        </tr>
      </thead>
      <tbody>
        {actuals.rows.map((r) => (
          <Fragment key={r.item}>
            <tr>
              <td className="w-full pl-4!">
                <button type="button" className="cursor-pointer text-left" aria-expanded={open === r.item} onClick={() => setOpen(open === r.item ? '' : r.item)}>
                  <span aria-hidden className="inline-block w-4 text-quiet">
                    {open === r.item ? '▾' : '▸'}
                  </span>
                  {r.name}
                </button>{' '}
                <Link className="code quiet-link" to={`/define/items/${encodeURIComponent(r.item)}/cost`}>
                  {r.item}
                </Link>
              </td>
              <td className="num whitespace-nowrap">
                {quantity(r.quantity)}
                <span className="unit">{r.unit}</span>
              </td>
              <td className="num">{unitCost(r.standard)}</td>
              <td className="num font-semibold">{r.actual !== null && unitCost(r.actual)}</td>
              <td className="num text-quiet">{r.next !== null && unitCost(r.next)}</td>
              <td className="num">{!isZero(r.own) && <VarianceText value={r.own} />}</td>
              <td className="num">{!isZero(r.components) && <VarianceText value={r.components} />}</td>
              <td className="num font-semibold">
                <VarianceText value={r.difference} />
              </td>
              <td className="pr-4! whitespace-nowrap text-quiet">{r.ends.map((e) => `${e.where} ${money(e.amount)}`).join(' · ')}</td>
            </tr>
            {open === r.item && <Derivation item={r.item} month={month} onItem={setOpen} />}
          </Fragment>
        ))}
      </tbody>
    </table>
  );
}

/** Where what an item differs by comes from: its own postings, and what its components brought. */
function Derivation({ item, month, onItem }: { item: string; month: string; onItem: (item: string) => void }) {
  const found = useQuery(actualOptions(item, month)).data;
  if (!found) return null;
  return (
    <>
      {found.origins.map((o) => (
        <tr key={`${o.posting} ${o.what}`} className="text-quiet">
          <td className="pl-8!" colSpan={7}>
            {o.what === 'order closed' ? (
              <Link className="quiet-link" to={`/orders/${o.order}/bridge`}>
                order {o.order} closed
              </Link>
            ) : (
              o.what
            )}
            , posting {o.posting}, {moment(o.at)}
          </td>
          <td className="num">
            <VarianceText value={o.amount} />
          </td>
          <td className="pr-4!">own level</td>
        </tr>
      ))}
      {found.origins_whole > found.origins.length && (
        <tr className="text-quiet">
          <td className="pl-8!" colSpan={9}>
            and {found.origins_whole - found.origins.length} smaller ones
          </td>
        </tr>
      )}
      {found.carried.map((c) => (
        <tr key={c.item} className="text-quiet">
          <td className="pl-8!" colSpan={7}>
            <button type="button" className="cursor-pointer text-left" onClick={() => onItem(c.item)}>
              {c.name} <span className="code">{c.item}</span>
            </button>
            : {quantity(c.consumed)} of {quantity(c.there_was)} {c.unit} consumed, that differ by <VarianceText value={c.difference} />
          </td>
          <td className="num">
            <VarianceText value={c.amount} />
          </td>
          <td className="pr-4!">component</td>
        </tr>
      ))}
    </>
  );
}
