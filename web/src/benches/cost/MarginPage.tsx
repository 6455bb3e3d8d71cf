import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { costSetsOptions } from '../../api/queries';
import { CostFrame } from './CostFrame';
import { marginsOptions, type Margins } from './queries';
import { Money, Quantity } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { setName } from './logic';

/** What list prices leave over the standards of a set, the worst first. */
export function MarginPage() {
  const [query, setQuery] = useSearchParams();
  const chosen = Number(query.get('set') ?? 0);
  const margins = useQuery(marginsOptions(chosen));
  const sets = useQuery(costSetsOptions());
  return (
    <CostFrame
      title="Margin"
      words="List prices that count today, less the standard cost; the worst first."
      acts={
        <>
          {sets.data && sets.data.length > 0 && (
            <label className="flex items-center gap-1.5 text-quiet">
              Standards of
              <select className="entry w-52!" value={chosen || (margins.data?.cost_set ?? 0)} onChange={(e) => setQuery({ set: e.target.value }, { replace: true })}>
                {sets.data.map((s) => (
                  <option key={s.number} value={s.number}>
                    {setName(s)}
                  </option>
                ))}
              </select>
            </label>
          )}
        </>
      }
    >
      <Loaded query={margins}>
        {(m) => (m.rows.length === 0 ? <Empty>No list price yet. Set the first one on the page of an item that is sold.</Empty> : <Rows margins={m} />)}
      </Loaded>
    </CostFrame>
  );
}

function Rows({ margins }: { margins: Margins }) {
  return (
    <>
      {margins.whole > margins.rows.length && (
        <p className="px-4 pb-2 text-quiet">
          The {margins.rows.length} that leave least, of {margins.whole.toLocaleString()}.
        </p>
      )}
      {margins.is_screened && <p className="px-4 pb-2 text-[12px] text-quiet">The standards of a what-if are screened in floating point.</p>}
      <table className="rows" aria-label="Margins">
        <thead>
          <tr>
            <th className="pl-4!">Item</th>
            <th>asked of</th>
            <th className="num">from</th>
            <th className="num">list price, EUR</th>
            <th className="num">standard</th>
            <th className="num">margin</th>
            <th className="num">of price</th>
            <td className="w-32 pr-4!" />
          </tr>
        </thead>
        <tbody>
          {margins.rows.map((r) => (
            <tr key={r.item + r.customer + r.from_quantity + r.price}>
              <td className="w-full max-w-0 pl-4!" title={r.name}>
                <span className="flex gap-1.5">
                  <span className="truncate">{r.name}</span>{' '}
                  <Link className="code quiet-link" data-peek={r.item} to={`/define/items/${encodeURIComponent(r.item)}/cost`}>
                    {r.item}
                  </Link>
                </span>
              </td>
              <td className="whitespace-nowrap">{r.customer ? r.customer_name : <span className="text-quiet">everybody</span>}</td>
              <td className="num">{Number(r.from_quantity) > 0 && <Quantity value={r.from_quantity} unit={r.unit} />}</td>
              <td className="num">
                <Money value={r.price} />
              </td>
              <td className="num">{r.standard === null ? <span className="text-attention">none</span> : <Money value={r.standard} />}</td>
              <td className={`num ${Number(r.margin) < 0 ? 'font-semibold text-unfavourable' : ''}`}>{r.margin !== null && <Money value={r.margin} />}</td>
              <td className={`num ${Number(r.margin) < 0 ? 'font-semibold text-unfavourable' : ''}`}>
                {r.share !== null && `${(Number(r.share) * 100).toFixed(1).replace('-', '−')} %`}
              </td>
              <td className="pr-4!">{r.share !== null && <MarginBar share={Number(r.share)} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Right of the line what is left of the price, left of it what is lost. */
function MarginBar({ share }: { share: number }) {
  const width = `${Math.min(1, Math.abs(share)) * 100}%`;
  return (
    <span aria-hidden className="grid w-28 grid-cols-[1fr_3fr]">
      <span className="flex h-2 justify-end border-r border-ink">{share < 0 && <span className="h-2 bg-unfavourable" style={{ width }} />}</span>
      <span className="h-2">{share > 0 && <span className="block h-2 bg-hair-strong" style={{ width }} />}</span>
    </span>
  );
}
