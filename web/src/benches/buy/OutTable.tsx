import { Link } from 'react-router';
import { day } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import type { Outside } from './queries';

/** Half-made units that lie at suppliers, those first that are to be back first. */
export function OutTable({ rows }: { rows: Outside[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Out at suppliers">
        <thead>
          <tr>
            <th className="pl-4!">Units</th>
            <th>at</th>
            <th className="num">out</th>
            <th className="num">days</th>
            <th className="pr-4!">back on</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((w) => (
            <tr key={`${w.order} ${w.operation}`}>
              <td className="w-full pl-4!">
                <Link className="code quiet-link" to={`/orders/${w.order}`}>
                  {w.order}
                </Link>{' '}
                {w.name} <span className="code text-quiet">{w.item}</span> for {w.operation} {w.does}
              </td>
              <td className="whitespace-nowrap">
                <Link className="quiet-link" to={`/buy/suppliers/${encodeURIComponent(w.supplier)}`}>
                  {w.supplier_name}
                </Link>{' '}
                <Link className="code quiet-link" to={`/buy/${w.purchase}`}>
                  {w.purchase}
                </Link>
              </td>
              <td className="num whitespace-nowrap">
                {quantity(w.out)}
                <span className="unit">{w.unit}</span>
              </td>
              <td className="num">{w.days_out}</td>
              <td className="pr-4! whitespace-nowrap">
                {day(w.comes_on)}
                {w.days_late > 0 && <span className="text-attention"> {w.days_late} d late</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
