import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { money } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded } from '../../ui/States';
import { SellFrame } from './SellFrame';
import { customerOrdersOptions, type List, LISTS } from './queries';

const words: Record<List, string> = { open: 'open', offers: 'offers', late: 'late', ended: 'ended', all: 'all' };
const PAGE = 100;

/** Customers' orders, what is due first before the others. */
export function SellPage() {
  const [query, setQuery] = useSearchParams();
  const asked = query.get('which');
  const which = LISTS.find((l) => l === asked) ?? 'open';
  const skip = Number(query.get('skip') ?? 0);
  const orders = useQuery(customerOrdersOptions(which, skip));
  const { start } = useCommands();
  const may = useMay();
  return (
    <SellFrame
      title="Sell"
      words="What customers order, what is due first before the others; an offer is no demand before it is accepted."
      acts={
        may.has('enter-customer-order') && (
          <Button look="act" onClick={() => start('enter-customer-order')}>
            Enter an order…
          </Button>
        )
      }
    >
      <nav aria-label="Which orders" className="flex flex-wrap gap-x-4 px-4 pb-2">
        {LISTS.map((list) => (
          <button key={list} type="button" aria-pressed={list === which} className={list === which ? 'font-semibold' : 'quiet-link cursor-pointer text-act'} onClick={() => setQuery({ which: list }, { replace: true })}>
            {words[list]}
          </button>
        ))}
      </nav>
      <Loaded query={orders}>
        {(page) =>
          page.rows.length === 0 ? (
            <Empty>{which === 'open' ? 'No customer has an order open. Enter one, or accept an offer.' : 'None of these.'}</Empty>
          ) : (
            <>
              <div className="overflow-x-auto">
                <table className="rows" aria-label="Customers' orders">
                  <thead>
                    <tr>
                      <th className="pl-4!">Order</th>
                      <th>customer</th>
                      <th>their number</th>
                      <th>state</th>
                      <th className="num">lines</th>
                      <th>due</th>
                      <th className="num pr-4!">EUR</th>
                    </tr>
                  </thead>
                  <tbody>
                    {page.rows.map((o) => (
                      <tr key={o.number}>
                        <td className="pl-4!">
                          <Link className="code quiet-link" to={`/sell/${o.number}`}>
                            {o.number}
                          </Link>
                        </td>
                        <td className="w-full">
                          {o.customer_name} <span className="code text-quiet">{o.customer}</span>
                        </td>
                        <td className="whitespace-nowrap">{o.their_number}</td>
                        <td className="whitespace-nowrap">{o.state}</td>
                        <td className="num">{o.lines}</td>
                        <td className="whitespace-nowrap">
                          {o.due && day(o.due)}
                          {o.days_late > 0 && <span className="text-attention"> {o.days_late} d late</span>}
                        </td>
                        <td className="num pr-4!">{o.amount !== '' && money(o.amount)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
              {page.whole > PAGE && (
                <p className="flex gap-4 px-4 py-2 text-quiet">
                  {skip + 1} to {Math.min(page.whole, skip + PAGE)} of {page.whole}
                  {skip > 0 && (
                    <Button look="link" onClick={() => setQuery({ which, skip: String(Math.max(0, skip - PAGE)) })}>
                      Before
                    </Button>
                  )}
                  {skip + PAGE < page.whole && (
                    <Button look="link" onClick={() => setQuery({ which, skip: String(skip + PAGE) })}>
                      Further
                    </Button>
                  )}
                </p>
              )}
            </>
          )
        }
      </Loaded>
    </SellFrame>
  );
}
