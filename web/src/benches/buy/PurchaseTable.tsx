import { Link } from 'react-router';
import { day } from '../../lib/date';
import { money } from '../../lib/decimal';
import type { PurchaseRow } from './queries';

/** Orders to suppliers, a row each. */
export function PurchaseTable({ rows }: { rows: PurchaseRow[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Purchase orders">
        <thead>
          <tr>
            <th className="pl-4!">Order</th>
            <th>supplier</th>
            <th>state</th>
            <th className="num">lines</th>
            <th>comes</th>
            <th>ordered</th>
            <th className="num pr-4!">EUR</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((p) => (
            <tr key={p.number}>
              <td className="pl-4!">
                <Link className="code quiet-link" to={`/buy/${p.number}`}>
                  {p.number}
                </Link>
              </td>
              <td className="w-full">
                <Link className="quiet-link" to={`/buy/suppliers/${encodeURIComponent(p.supplier)}`}>
                  {p.supplier_name}
                </Link>{' '}
                <span className="code text-quiet">{p.supplier}</span>
              </td>
              <td className="whitespace-nowrap">{p.state}</td>
              <td className="num">{p.lines}</td>
              <td className="whitespace-nowrap">
                {p.comes_on && day(p.comes_on)}
                {p.days_late > 0 && <span className="text-attention"> {p.days_late} d late</span>}
              </td>
              <td className="whitespace-nowrap">{p.ordered_on ? day(p.ordered_on) : '–'}</td>
              <td className="num pr-4!">{money(p.amount)}</td>
            </tr>
          ))}
          {rows.length === 0 && (
            <tr>
              <td colSpan={7} className="pl-4! text-quiet">
                None of these.
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}
