import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { money, percent, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type Delivered, deliveredOptions } from './queries';

/** What was delivered: its price, what it cost by then, and what with all that came late. */
export function DeliveredPage() {
  const { start } = useCommands();
  const may = useMay();
  const delivered = useQuery(deliveredOptions(0));
  const d = delivered.data;
  return (
    <CostFrame
      title="Margin of what was delivered"
      words={d && d.whole > 0 ? `${d.whole} lines for ${money(d.price)} EUR, at ${money(d.cost)} EUR by then and ${money(d.corrected)} EUR with what came late.` : 'The price of each delivered line, less what its pieces cost.'}
      acts={may.has('deliver') && <Button onClick={() => start('deliver')}>Deliver…</Button>}
    >
      <Loaded query={delivered}>{(found) => (found.rows.length === 0 ? <Empty>Nothing was delivered yet.</Empty> : <Table delivered={found} />)}</Loaded>
    </CostFrame>
  );
}

function Table({ delivered }: { delivered: Delivered }) {
  return (
    <table className="rows" aria-label="Delivered">
      <thead>
        <tr>
          <th className="pl-4!">Delivered</th>
          <th>item</th>
          <th>customer</th>
          <th className="num">quantity</th>
          <th className="num">price</th>
          <th className="num">standard</th>
          <th className="num">cost then</th>
          <th className="num">corrected</th>
          <th className="num">margin</th>
          <th className="num pr-4!">of price</th>
        </tr>
      </thead>
      <tbody>
        {delivered.rows.map((r, n) => (
          <tr key={`${r.posting} ${n}`}>
            <td className="pl-4! whitespace-nowrap">
              <Link className="quiet-link" to={`/postings/${r.posting}`}>
                {day(r.on)}
              </Link>
            </td>
            <td className="w-full max-w-0 truncate" title={r.name}>
              {r.name} <span className="code text-quiet">{r.item}</span>
            </td>
            <td className="whitespace-nowrap">
              {r.customer} {r.customer_order && <span className="text-quiet">{`${r.customer_order}/${r.customer_line}`}</span>}
            </td>
            <td className="num whitespace-nowrap">
              {quantity(r.quantity)}
              <span className="unit">{r.unit}</span>
            </td>
            <td className="num">{r.price === null ? <span className="text-quiet">none</span> : money(r.price)}</td>
            <td className="num">{r.standard !== null && money(r.standard)}</td>
            <td className="num">{money(r.cost)}</td>
            <td className={`num ${r.corrected === r.cost ? 'text-quiet' : ''}`}>{money(r.corrected)}</td>
            <td className="num font-semibold">{r.margin !== null && money(r.margin)}</td>
            <td className="num pr-4!">{r.share !== null && percent(r.share)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
