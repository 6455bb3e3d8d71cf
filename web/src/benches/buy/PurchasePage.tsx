import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import type { CommandName } from '../../commands/inputs';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { isZero, money, quantity, unitCost } from '../../lib/decimal';
import { ChainLink } from '../../stock/ChainLink';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { BuyFrame } from './BuyFrame';
import { InvoiceTable } from './InvoicesPage';
import { purchaseOptions, type Purchase, type PurchaseLine } from './queries';

/** An order to a supplier: ordered, received and invoiced beside each other, line by line. */
export function PurchasePage() {
  const number = Number(useParams()['number']);
  const purchase = useQuery(purchaseOptions(number));
  return <Loaded query={purchase}>{(p) => <Page purchase={p} />}</Loaded>;
}

const acts: readonly (readonly [Purchase['acts'][number], CommandName, string])[] = [
  ['send', 'send-purchase', 'Send to the supplier…'],
  ['confirm', 'confirm-purchase', 'Confirm…'],
  ['receive against', 'receive-purchase', 'Receive…'],
  ['change', 'change-purchase', 'Change…'],
  ['finish', 'finish-purchase', 'Finish with what came…'],
  ['cancel', 'cancel-purchase', 'Cancel…'],
];

function Page({ purchase: p }: { purchase: Purchase }) {
  const { start } = useCommands();
  const may = useMay();
  const awaited = p.lines.some((n) => !isZero(n.coming));
  const first = awaited && p.state !== 'ordered' ? 'receive against' : '';
  const offered = acts.toSorted((a, b) => Number(b[0] === first) - Number(a[0] === first)).filter(([act, command]) => p.acts.includes(act) && may.has(command) && (act !== 'receive against' || awaited));
  const came = p.lines.flatMap((n) => n.deliveries).filter((d) => !d.is_undone);
  return (
    <BuyFrame
      title={
        <>
          <span className="code">{p.number}</span>{' '}
          <Link className="quiet-link" to={`/buy/suppliers/${encodeURIComponent(p.supplier)}`}>
            {p.supplier_name}
          </Link>
        </>
      }
      words={
        <>
          <span className="font-semibold text-ink">{p.state}</span>
          {p.ordered_on && ` · ordered ${day(p.ordered_on)}`}
          {p.confirmed_on && ` · confirmed ${day(p.confirmed_on)}`}
          {p.their_number && ` as ${p.their_number}`}
          {p.amount && ` · ${money(p.amount)} EUR`}
          {p.note && ` · ${p.note}`}
        </>
      }
    >
      <div className="flex flex-wrap gap-2 px-4 pb-3">
        {offered.map(([act, command, words], at) => (
          <Button key={act} look={at === 0 ? 'act' : 'plain'} onClick={() => start(command, { purchase: p.number })}>
            {words}
          </Button>
        ))}
        {may.has('post-invoice') && came.length > 0 && (
          <>
            <Button onClick={() => start('post-invoice', { supplier: p.supplier, purchase: p.number })}>Invoice…</Button>
            <Button onClick={() => start('land-costs', { deliveries: came.map((d) => d.delivery), purchase: p.number })}>Freight and other costs…</Button>
          </>
        )}
        {p.amount && (
          <>
            <a className="self-center quiet-link text-act" href={`/api/purchases/${p.number}/order.pdf`} target="_blank" rel="noreferrer">
              Print
            </a>
            <a className="self-center quiet-link text-act" href={`/api/purchases/${p.number}/order.xml`}>
              UBL
            </a>
          </>
        )}
        {may.has('copy-purchase') && !p.lines.every((n) => n.is_work) && (
          <Button look="link" onClick={() => start('copy-purchase', { purchase: p.number })}>
            Copy…
          </Button>
        )}
      </div>
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Lines">
          <thead>
            <tr>
              <th className="pl-4!">Line</th>
              <th>item</th>
              <th className="num">ordered</th>
              <th className="num">EUR each</th>
              <th>there on</th>
              <th className="num">received</th>
              <th className="num">to come</th>
              <th className="num">invoiced</th>
              <th className="pr-4!">into</th>
            </tr>
          </thead>
          {p.lines.map((n) => (
            <Line key={n.line} purchase={p.number} line={n} onReturn={may.has('return-to-supplier') ? (delivery) => start('return-to-supplier', { delivery }) : undefined} />
          ))}
        </table>
      </div>
      {p.returns.length > 0 && (
        <section className="pt-4" aria-label="Sent back">
          <h2 className="px-4">Sent back</h2>
          <ul className="px-4">
            {p.returns.map((r) => (
              <li key={r.posting} className={r.is_undone ? 'text-quiet line-through' : ''}>
                <Link className="quiet-link" to={`/postings/${r.posting}`}>
                  {quantity(r.quantity)} of line {r.line}
                </Link>
                , {r.reason}; {r.is_replaced ? 'expected again' : 'not sent again'}
              </li>
            ))}
          </ul>
        </section>
      )}
      {p.invoices.length > 0 && (
        <section className="pt-4" aria-label="Invoices of it">
          <h2 className="px-4 pb-1">Invoices</h2>
          <InvoiceTable rows={p.invoices} />
        </section>
      )}
    </BuyFrame>
  );
}

function Line({ purchase, line: n, onReturn }: { purchase: number; line: PurchaseLine; onReturn: ((delivery: number) => void) | undefined }) {
  const asked = n.asked_quantity !== null && Number(n.asked_quantity) !== Number(n.quantity) ? `asked ${quantity(n.asked_quantity)}` : '';
  const moved = n.asked_for !== null && n.asked_for !== n.comes_on ? `asked for ${day(n.asked_for)}` : '';
  return (
    <tbody>
      <tr>
        <td className="pl-4!">{n.line}</td>
        <td className="w-full">
          {n.name}{' '}
          <Link className="code quiet-link" data-peek={n.item} to={`/release/stock/${encodeURIComponent(n.item)}`}>
            {n.item}
          </Link>{' '}
          {!n.is_work && !isZero(n.coming) && <ChainLink item={n.item} way="up" source="purchase order" number={purchase} />}
          {n.order !== null && (
            <span className="block text-[12px] text-quiet">
              {n.is_work ? 'work on' : 'for'}{' '}
              <Link className="quiet-link" to={`/orders/${n.order}`}>
                {n.order}
              </Link>{' '}
              operation {n.operation}
            </span>
          )}
          {n.is_inspected && <span className="block text-[12px] text-quiet">is inspected when it comes</span>}
        </td>
        <td className="num whitespace-nowrap">
          {quantity(n.quantity)}
          <span className="unit">{n.unit}</span>
          {n.unit !== n.stock_unit && (
            <span className="block text-[12px] text-quiet">
              of {quantity(n.per_unit)} {n.stock_unit}
            </span>
          )}
          {asked && <span className="block text-[12px] text-attention">{asked}</span>}
        </td>
        <td className="num">{unitCost(n.price)}</td>
        <td className="whitespace-nowrap">
          {day(n.comes_on)}
          {n.days_late > 0 && <span className="block text-[12px] text-attention">{n.days_late} d late</span>}
          {moved && <span className="block text-[12px] text-quiet">{moved}</span>}
        </td>
        <td className="num whitespace-nowrap">
          {isZero(n.received) ? '–' : quantity(n.received)}
          <span className="unit">{n.stock_unit}</span>
          {!isZero(n.returned) && <span className="block text-[12px] text-attention">{quantity(n.returned)} went back</span>}
        </td>
        <td className="num">{n.is_ended ? 'ended' : isZero(n.coming) ? '–' : quantity(n.coming)}</td>
        <td className="num whitespace-nowrap">
          {isZero(n.invoiced) ? '–' : quantity(n.invoiced)}
          {!isZero(n.to_invoice) && (
            <span className="block text-[12px] text-quiet">
              {quantity(n.to_invoice)} open{n.to_invoice_amount && `, ${money(n.to_invoice_amount)}`}
            </span>
          )}
        </td>
        <td className="pr-4! whitespace-nowrap">{n.place_name}</td>
      </tr>
      {n.deliveries.map((d) => (
        <Fragment key={d.delivery}>
          <tr className={`text-[12px] ${d.is_undone ? 'text-quiet line-through' : 'text-quiet'}`}>
            <td />
            <td colSpan={4} className="whitespace-nowrap">
              <Link className="quiet-link" to={`/postings/${d.posting}`}>
                came {moment(d.came_at)}
              </Link>
              {d.note && ` with ${d.note}`}
              {!n.is_work && !d.is_undone && (
                <a className="ml-2 quiet-link text-act" href={`/api/papers/goods-received.pdf?code=${d.posting}`} target="_blank" rel="noreferrer">
                  slip
                </a>
              )}
            </td>
            <td className="num">{quantity(d.quantity)}</td>
            <td />
            <td className="num">{isZero(d.invoiced) ? '–' : quantity(d.invoiced)}</td>
            <td className="pr-4!">
              {onReturn && !n.is_work && !d.is_undone && Number(d.returned) < Number(d.quantity) && (
                <Button look="link" aria-label={`Send back of line ${n.line}, delivery ${d.delivery}`} onClick={() => onReturn(d.delivery)}>
                  Send back…
                </Button>
              )}
            </td>
          </tr>
        </Fragment>
      ))}
    </tbody>
  );
}
