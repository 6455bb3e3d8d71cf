import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { BuyFrame } from './BuyFrame';
import { invoicesOptions, openOptions, type InvoiceRow } from './queries';

/** What suppliers asked for, the latest first. */
export function InvoicesPage() {
  const { start } = useCommands();
  const may = useMay();
  const invoices = useQuery(invoicesOptions(0));
  return (
    <BuyFrame
      title="Invoices of suppliers"
      words="What each asks, without tax, and by how much that differs from what was received."
      acts={may.has('post-invoice') && <Button onClick={() => start('post-invoice')}>Enter an invoice…</Button>}
    >
      <Loaded query={invoices}>{(rows) => <InvoiceTable rows={rows} />}</Loaded>
    </BuyFrame>
  );
}

export function InvoiceTable({ rows }: { rows: InvoiceRow[] }) {
  const { start } = useCommands();
  const may = useMay();
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Invoices">
        <thead>
          <tr>
            <th className="pl-4!">Invoice</th>
            <th>supplier</th>
            <th>dated</th>
            <th className="num">EUR</th>
            <th className="num">differs</th>
            <td className="pr-4!" />
          </tr>
        </thead>
        <tbody>
          {rows.map((v) => (
            <tr key={v.invoice} className={v.is_taken_back ? 'text-quiet line-through' : ''}>
              <td className="pl-4! whitespace-nowrap">
                <Link className="code quiet-link" to={`/postings/${v.posting}`}>
                  {v.number}
                </Link>
                {v.is_credit && ' credit note'}
              </td>
              <td className="w-full">{v.supplier_name}</td>
              <td className="whitespace-nowrap">{day(v.dated)}</td>
              <td className="num">{money(v.total)}</td>
              <td className={`num ${isZero(v.difference) || v.is_taken_back ? '' : 'text-attention'}`}>{isZero(v.difference) ? '–' : money(v.difference)}</td>
              <td className="num pr-4!">
                {!v.is_taken_back && may.has('take-back') && (
                  <Button look="link" aria-label={`Take back ${v.number}`} onClick={() => start('take-back', { posting: v.posting })}>
                    Take back…
                  </Button>
                )}
              </td>
            </tr>
          ))}
          {rows.length === 0 && (
            <tr>
              <td colSpan={6} className="pl-4! text-quiet">
                None was entered yet.
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

/** What came and is not invoiced, the oldest first. */
export function OpenPage() {
  const { start } = useCommands();
  const may = useMay();
  const open = useQuery(openOptions('', 0));
  return (
    <BuyFrame title="Received, not invoiced" words="What suppliers brought and have not asked for yet, the oldest first.">
      <Loaded query={open}>
        {({ rows, total, value }) => (
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Received, not invoiced">
              <thead>
                <tr>
                  <th className="pl-4!">Came</th>
                  <th className="num">days</th>
                  <th>order</th>
                  <th>item</th>
                  <th className="num">quantity</th>
                  <th className="num">EUR</th>
                  <td className="pr-4!" />
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r.delivery}>
                    <td className="pl-4! whitespace-nowrap">{moment(r.came_at)}</td>
                    <td className={`num ${r.days > 30 ? 'text-attention' : ''}`}>{r.days}</td>
                    <td className="whitespace-nowrap">
                      <Link className="code quiet-link" to={`/buy/${r.purchase}`}>
                        {r.purchase}
                      </Link>{' '}
                      {r.supplier_name}
                    </td>
                    <td className="w-full">
                      {r.name} <span className="code text-quiet">{r.item}</span>
                    </td>
                    <td className="num whitespace-nowrap">
                      {quantity(r.quantity)}
                      <span className="unit">{r.unit}</span>
                    </td>
                    <td className="num">{money(r.value)}</td>
                    <td className="num pr-4!">
                      {may.has('post-invoice') && (
                        <Button look="link" aria-label={`Invoice of ${r.supplier_name} for ${r.purchase}`} onClick={() => start('post-invoice', { supplier: r.supplier, purchase: r.purchase })}>
                          Invoice…
                        </Button>
                      )}
                    </td>
                  </tr>
                ))}
                {rows.length > 0 && value && (
                  <tr className="font-semibold">
                    <td colSpan={5} className="pl-4!">
                      {total > rows.length ? `All ${total.toLocaleString()}, of which the oldest ${rows.length} are shown` : 'All together'}
                    </td>
                    <td className="num">{money(value)}</td>
                    <td className="pr-4!" />
                  </tr>
                )}
                {rows.length === 0 && (
                  <tr>
                    <td colSpan={7} className="pl-4! text-quiet">
                      All that came is invoiced.
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
          </div>
        )}
      </Loaded>
    </BuyFrame>
  );
}
