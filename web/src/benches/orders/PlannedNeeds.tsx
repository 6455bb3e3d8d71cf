import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Order } from '../../api/queries';
import { day } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { MadeBy } from './OrderParts';
import { buildableOptions } from './queries';

/** What an order that is not released will need, what it would be short of, and what can be built at once. */
export function PlannedNeeds({ order }: { order: Order }) {
  return (
    <>
      <table className="rows" aria-label="Material it will need">
        <thead>
          <tr>
            <th className="pl-4!">Material it will need</th>
            <th className="num">need</th>
            <th className="num">free</th>
            <th className="num">short</th>
            <th className="num">there</th>
          </tr>
        </thead>
        <tbody>
          {order.planned_needs.map((n) => (
            <tr key={n.item}>
              <td className="w-full truncate pl-4! md:max-w-0">
                {n.name}{' '}
                <Link className="code quiet-link" data-peek={n.item} to={`/release/stock/${encodeURIComponent(n.item)}`}>
                  {n.item}
                </Link>
                <MadeBy orders={n.made_by} />
              </td>
              <td className="num">
                {quantity(n.need)}
                <span className="unit inline-block w-6 text-left">{n.unit}</span>
              </td>
              <td className="num">{quantity(n.free)}</td>
              <td className={`num ${isZero(n.short) ? '' : 'text-attention'}`}>{isZero(n.short) ? '–' : quantity(n.short)}</td>
              <td className="num">{isZero(n.short) ? '' : n.comes ? day(n.comes) : <span className="text-attention">no day known</span>}</td>
            </tr>
          ))}
          {order.planned_needs.length === 0 && (
            <tr>
              <td colSpan={5} className="pl-4! text-quiet">
                No structure in force says what it is made of, or it is made of nothing.
              </td>
            </tr>
          )}
        </tbody>
      </table>
      <BuildableNow order={order} />
    </>
  );
}

function BuildableNow({ order }: { order: Order }) {
  const found = useQuery(buildableOptions(order.item));
  if (!found.data || order.planned_needs.length === 0) return null;
  const { quantity: built, limits } = found.data;
  return (
    <section aria-label="Can be built now" className="px-4 py-2">
      {built === null ? (
        <p>Nothing that is stocked limits how many can be built.</p>
      ) : (
        <p>
          <strong>
            {quantity(built)} {order.unit} can be built now
          </strong>{' '}
          <span className="text-quiet">of what is free at all levels, whoever else wants it</span>
        </p>
      )}
      {limits.map((n) => (
        <p key={n.item}>
          {n.name}{' '}
          <Link className="code quiet-link" data-peek={n.item} to={`/release/stock/${encodeURIComponent(n.item)}`}>
            {n.item}
          </Link>{' '}
          limits it: {quantity(n.missing)} {n.unit} are missing for one more
          {!isZero(n.gives) && <span className="text-quiet">; one step more of it gives {quantity(n.gives)}</span>}
        </p>
      ))}
    </section>
  );
}
