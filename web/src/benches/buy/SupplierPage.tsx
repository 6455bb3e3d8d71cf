import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { isZero, money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { Money } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { BuyFrame } from './BuyFrame';
import { OutTable } from './OutTable';
import { PurchaseTable } from './PurchaseTable';
import { supplierOptions, type Supplier } from './queries';

/** A supplier: how he kept his word, what he is to bring, what he holds of ours. */
export function SupplierPage() {
  const supplier = useQuery(supplierOptions(useParams()['code'] ?? ''));
  return <Loaded query={supplier}>{(s) => <Page supplier={s} />}</Loaded>;
}

/** What came and is not invoiced; nothing for who must not see costs. */
const notInvoiced = (s: Supplier) => (s.not_invoiced === '' ? '' : isZero(s.not_invoiced) ? 'All that came is invoiced.' : `${money(s.not_invoiced)} EUR came and are not invoiced.`);

function Page({ supplier: s }: { supplier: Supplier }) {
  const { start } = useCommands();
  const may = useMay();
  const r = s.record;
  const share = (value: string | null) => (value === null ? '–' : `${quantity(value)} %`);
  const said = [
    ['in time', share(r.on_time), r.days_late === null ? '' : `the others ${quantity(r.days_late)} days late`],
    ['whole', share(r.complete), 'of what was ordered, by lines that are done'],
    ['good', share(r.kept), 'of what came did not go back'],
    ['dearer than ordered', r.dearer === '' ? '' : share(r.dearer), 'by what was invoiced'],
  ] as const;
  return (
    <BuyFrame
      title={
        <>
          {s.name} <span className="code font-normal">{s.supplier}</span>
        </>
      }
      words={
        <>
          {notInvoiced(s)} His days are {s.calendar ? <>those of {s.calendar}</> : 'counted round the clock'}
          {isZero(s.transport_days) ? '' : `, ${quantity(s.transport_days)} more for the way there and as many back`}.{' '}
          {may.has('set-supplier-times') && (
            <Button look="link" onClick={() => start('set-supplier-times', { supplier: s.supplier, calendar: s.calendar, transport_days: quantity(s.transport_days) })}>
              Change…
            </Button>
          )}{' '}
          {may.has('set-stand-in') && (
            <Button look="link" onClick={() => start('set-stand-in', { supplier: s.supplier, ...s.stand_in })}>
              Simulated…
            </Button>
          )}
        </>
      }
    >
      <section aria-label="Record" className="pb-4">
        <h2 className="px-4 pb-1">
          The last year <span className="font-normal text-quiet">{r.deliveries} {r.deliveries === 1 ? 'delivery' : 'deliveries'}</span>
        </h2>
        <dl className="flex flex-wrap gap-x-10 gap-y-2 px-4">
          {said
            .filter(([, value]) => value !== '')
            .map(([name, value, words]) => (
              <div key={name}>
                <dt className="text-[12px] text-quiet">{name}</dt>
                <dd className="font-semibold tabular-nums">{value}</dd>
                <dd className="text-[12px] text-quiet">{words}</dd>
              </div>
            ))}
        </dl>
      </section>
      <section aria-label="Awaited" className="pb-4">
        <h2 className="px-4 pb-1">Drafted or awaited</h2>
        <PurchaseTable rows={s.awaited.rows} />
        {s.awaited.total > s.awaited.rows.length && <p className="px-4 py-1 text-quiet">the first {s.awaited.rows.length} of {s.awaited.total.toLocaleString()}</p>}
      </section>
      {(s.out.length > 0 || s.parts.length > 0) && (
        <section aria-label="He holds of ours">
          <h2 className="px-4 pb-1">
            He holds of ours {s.held_value !== '' && <span className="font-normal text-quiet">{money(s.held_value)} EUR at the standard</span>}
            {(['pdf', 'csv'] as const).map((form) => (
              <a key={form} className="ml-4 quiet-link font-normal text-act" href={`/api/suppliers/${encodeURIComponent(s.supplier)}/held.${form}`} target="_blank" rel="noreferrer">
                {form === 'pdf' ? 'Statement to be counted' : 'CSV'}
              </a>
            ))}
          </h2>
          {s.out.length > 0 && <OutTable rows={s.out} />}
          {s.parts.length > 0 && <PartsTable parts={s.parts} />}
        </section>
      )}
    </BuyFrame>
  );
}

/** Components of ours that he has and has not built in. */
function PartsTable({ parts }: { parts: Supplier['parts'] }) {
  return (
    <table className="rows mt-2" aria-label="Components at the supplier">
      <thead>
        <tr>
          <th className="pl-4!">Component</th>
          <th>for</th>
          <th className="num">there</th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        {parts.map((p) => (
          <tr key={`${p.order} ${p.operation} ${p.item}`}>
            <td className="w-full pl-4!">
              {p.name} <ItemCode code={p.item} />
            </td>
            <td className="whitespace-nowrap">
              <Link className="code quiet-link" to={`/orders/${p.order}`}>
                {p.order}
              </Link>{' '}
              op {p.operation}
            </td>
            <td className="num whitespace-nowrap">
              {quantity(p.quantity)}
              <span className="unit">{p.unit}</span>
            </td>
            <td className="num pr-4!">
              <Money value={p.value} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
