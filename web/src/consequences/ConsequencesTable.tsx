import type { Consequences } from '../api/queries';
import { isZero, quantity } from '../lib/decimal';
import { Money, VarianceText } from '../ui/Numbers';

/** What a command would do, or did: only what changes, in a fixed order. */
export function ConsequencesTable({ of }: { of: Consequences }) {
  const nothing =
    of.fields.length + of.stock.length + of.wip.length + of.journal.length + of.remarks.length === 0;
  const isOfMany = new Set(of.wip.map((w) => w.order)).size > 1;
  if (nothing) return <p className="text-quiet">Nothing would change.</p>;
  return (
    <div className="space-y-3">
      {of.remarks.length > 0 && (
        <ul className="border-l-4 border-attention bg-attention-wash px-2 py-1">
          {of.remarks.map((r) => (
            <li key={r.thing + r.text}>
              <span className="code">{r.thing}</span> {r.text}
            </li>
          ))}
        </ul>
      )}
      {of.fields.length > 0 && (
        <table className="rows" aria-label="What changes">
          <tbody>
            {of.fields.map((f, n) => (
              <tr key={`${f.thing} ${f.field} ${n}`}>
                <td>
                  {f.thing} <span className="text-quiet">{f.field}</span>
                </td>
                <td className="num whitespace-normal!">
                  {f.before !== '' && <span className="text-quiet">{f.before} → </span>}
                  {f.after === '' ? 'none' : f.after}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {of.stock.length > 0 && (
        <table className="rows" aria-label="Stock">
          <thead>
            <tr>
              <th>Stock</th>
              <th className="num">before</th>
              <th className="num">after</th>
            </tr>
          </thead>
          <tbody>
            {of.stock.map((s) => (
              <tr key={`${s.item} ${s.lot} ${s.place}`}>
                <td>
                  <span className="code">{s.item}</span>{' '}
                  {s.lot && <span className="code text-[12px]">{s.lot} </span>}
                  <span className="text-[12px] text-quiet">{s.place}</span>
                </td>
                <td className="num text-quiet">{quantity(s.before)}</td>
                <td className="num">
                  {quantity(s.after)}
                  <span className="unit">{s.unit}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {of.wip.length > 0 && (
        <table className="rows" aria-label="Work in process">
          <thead>
            <tr>
              <th>WIP</th>
              <th className="num">before</th>
              <th className="num">after</th>
            </tr>
          </thead>
          <tbody>
            {of.wip.map((w) => (
              <tr key={`${w.order} ${w.element}`}>
                <td>
                  {w.element}
                  {isOfMany && <span className="text-quiet"> of {w.order}</span>}
                </td>
                <td className="num text-quiet">
                  <Money value={w.before} />
                </td>
                <td className="num">
                  <Money value={w.after} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {of.variance.map((v) => (
        <p key={v.order} className="flex justify-between px-2">
          <span>
            Variance to date
            {of.variance.length > 1 && <span className="text-quiet"> of {v.order}</span>}
          </span>
          <span>
            <VarianceText value={v.before} /> <span className="text-quiet">→</span>{' '}
            <VarianceText value={v.after} />
          </span>
        </p>
      ))}
      {of.journal.length > 0 && (
        <table className="rows" aria-label="Postings">
          <thead>
            <tr>
              <th>Postings, EUR</th>
              <th className="num">debit</th>
              <th className="num">credit</th>
            </tr>
          </thead>
          <tbody>
            {of.journal.map((j) => (
              <tr key={j.account}>
                <td>{j.account}</td>
                <td className="num">{!isZero(j.debit) && <Money value={j.debit} />}</td>
                <td className="num">{!isZero(j.credit) && <Money value={j.credit} />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
