import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Order } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { outsideOptions } from './queries';

const papers = [
  ['packing list', 'papers/packing-list'],
  ['waybill', 'papers/waybill'],
  ['label', 'labels/shipment'],
] as const;

/** The operations of an order that suppliers do: what is ordered, out, back, and by when. */
export function OutsideWork({ order }: { order: Order }) {
  const { start } = useCommands();
  const may = useMay();
  const work = useQuery(outsideOptions(order.number));
  if (!work.data?.length) return null;
  const runs = order.state === 'released' || order.state === 'started';
  return (
    <section aria-label="Work outside">
      <table className="rows" aria-label="Work outside">
        <thead>
          <tr>
            <th className="pl-4!">Done outside</th>
            <th className="num">ordered</th>
            <th className="num">out</th>
            <th className="num">back</th>
            <th>back on</th>
            <td className="pr-4!" />
          </tr>
        </thead>
        <tbody>
          {work.data.map((w) => (
            <tr key={w.operation}>
              <td className="w-full pl-4!">
                {w.operation} {w.does}, {w.supplier_name}{' '}
                <Link className="code quiet-link" to={`/buy/${w.purchase}`}>
                  {w.purchase}
                </Link>{' '}
                <span className="text-[12px] text-quiet">{w.state}</span>
                {w.shipments.map((s) => (
                  <span key={s} className="block text-[12px] whitespace-nowrap">
                    shipment {s}:
                    {papers.map(([words, path]) => (
                      <a key={words} className="ml-1.5 quiet-link text-act" href={`/api/${path}.pdf?code=${s}`} target="_blank" rel="noreferrer">
                        {words}
                      </a>
                    ))}
                  </span>
                ))}
              </td>
              <td className="num">
                {quantity(w.ordered)}
                <span className="unit">{w.unit}</span>
              </td>
              <td className="num whitespace-nowrap">
                {isZero(w.out) ? '–' : quantity(w.out)}
                {w.days_out > 0 && <span className="block text-[12px] text-quiet">for {w.days_out} d</span>}
              </td>
              <td className="num">{isZero(w.back) ? '–' : quantity(w.back)}</td>
              <td className="whitespace-nowrap">
                {w.is_ended ? 'ended' : day(w.comes_on)}
                {w.days_late > 0 && <span className="block text-[12px] text-attention">{w.days_late} d late</span>}
              </td>
              <td className="num pr-4! whitespace-nowrap">
                {runs && w.state === 'draft' && may.has('send-purchase') && (
                  <Button look="link" aria-label={`Order operation ${w.operation} of ${w.supplier_name}`} onClick={() => start('send-purchase', { purchase: w.purchase })}>
                    Order it…
                  </Button>
                )}
                {runs && w.state !== 'draft' && !w.is_ended && may.has('ship-to-supplier') && (
                  <Button look="link" aria-label={`Send units to ${w.supplier_name}`} onClick={() => start('ship-to-supplier', { order: w.order, operation: w.operation })}>
                    Send units…
                  </Button>
                )}
                {runs && w.state !== 'draft' && !w.is_ended && may.has('receive-purchase') && (
                  <Button look="link" className="ml-3" aria-label={`Back from ${w.supplier_name}`} onClick={() => start('receive-purchase', { purchase: w.purchase })}>
                    Back…
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
