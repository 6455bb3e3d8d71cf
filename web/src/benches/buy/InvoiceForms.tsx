import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { partnersOptions } from '../../api/queries';
import type { components } from '../../api/schema';
import { values } from '../../api/values';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import { shortDay } from '../../lib/date';
import { money, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Entry, Field, NumberEntry } from '../../ui/Field';
import { UblEntry, useFileRead } from './FileRead';
import { askedLines, readLines, type Asked } from './logic';
import { openOptions, supplierPaper, type OpenRow } from './queries';

type Props = OwnFormProps<Inputs['post-invoice']>;
type Read = components['schemas']['InvoiceMatched'];
type SpreadBy = components['schemas']['CostInvoiced']['spread_by'];
interface Head {
  supplier: string;
  number: string;
  dated: string;
}

/** Who asks, under which number, of which day. */
function HeadEntries({ head, onHead }: { head: Head; onHead: (head: Head) => void }) {
  const partners = useQuery(partnersOptions());
  return (
    <>
      <Field label="Supplier">
        {(id) => (
          <select id={id} className="entry" value={head.supplier} onChange={(e) => onHead({ ...head, supplier: e.target.value })}>
            <option value="">choose</option>
            {partners.data
              ?.filter((p) => p.is_supplier)
              .map((p) => (
                <option key={p.code} value={p.code}>
                  {p.code} {p.name}
                </option>
              ))}
          </select>
        )}
      </Field>
      <Field label="Their number">{(id) => <Entry id={id} value={head.number} onChange={(e) => onHead({ ...head, number: e.target.value })} />}</Field>
      <Field label="Dated">{(id) => <Entry id={id} type="date" value={head.dated} onChange={(e) => onHead({ ...head, dated: e.target.value })} />}</Field>
    </>
  );
}

/** An invoice against what came: each line with its quantity and amount, as the paper says. */
export function InvoiceForm({ given, onGiven }: Props) {
  const [head, setHead] = useState<Head>({ supplier: String(given['supplier'] ?? ''), number: '', dated: '' });
  const [isCredit, setIsCredit] = useState(false);
  const [total, setTotal] = useState('');
  const [asked, setAsked] = useState<Record<number, Asked>>({});
  const [read, setRead] = useState<Read | null>(null);
  const open = useQuery({ ...openOptions(head.supplier, 0), enabled: head.supplier !== '' });
  const purchase = Number(given['purchase'] ?? 0);
  // a credit note is for what went back after it was invoiced: that is open below zero
  const rows = (open.data?.rows ?? []).filter((r) => r.quantity.startsWith('-') === isCredit);
  const first = (r: OpenRow): Asked => ({ isOn: purchase === r.purchase, quantity: plain(r.units).replace('-', ''), amount: r.value.replace('-', '') });
  const at = Object.fromEntries(rows.map((r) => [r.delivery, asked[r.delivery] ?? first(r)]));
  const lines = read ? readLines(read.lines) : askedLines(rows, at);
  const { faults, take } = useFileRead<Read>('/api/invoices/read', (found) => {
    setHead({ supplier: found.supplier || head.supplier, number: found.number, dated: found.dated });
    setIsCredit(found.is_credit);
    setTotal(plain(found.total));
    setRead(found);
    return [...found.faults, ...found.charges.map((c) => `${c.what} of ${money(c.amount)} is entered from the order that it is for`)];
  });
  const isWhole = head.supplier && head.number && head.dated && lines.length > 0;
  const sent = isWhole ? JSON.stringify({ ...head, is_credit: isCredit, lines, ...(total && { total }) }) : '';
  useEffect(() => onGiven(sent ? (JSON.parse(sent) as Inputs['post-invoice']) : null, `Post ${isCredit ? 'credit note' : 'invoice'} ${head.number}`), [sent, isCredit, head.number, onGiven]);
  const set = (r: OpenRow, patch: Partial<Asked>) => setAsked({ ...asked, [r.delivery]: { ...(asked[r.delivery] ?? first(r)), ...patch } });
  return (
    <div className="space-y-3">
      <UblEntry label="Read a UBL 2.1 file" faults={faults} take={take} />
      {purchase > 0 && (
        <Button look="link" onClick={() => void supplierPaper(purchase, 'invoice').then(take)}>
          Ask the simulated supplier for his invoice of {purchase}
        </Button>
      )}
      <HeadEntries head={head} onHead={setHead} />
      <Field label="Credit note" hint="for what went back">
        {(id, hint) => <input id={id} aria-describedby={hint} type="checkbox" checked={isCredit} onChange={(e) => setIsCredit(e.target.checked)} />}
      </Field>
      {read && (
        <table className="rows" aria-label="Lines of the file">
          <thead>
            <tr>
              <th>of the file</th>
              <th className="num">quantity</th>
              <th className="num">EUR</th>
            </tr>
          </thead>
          <tbody>
            {read.lines.map((n) => (
              <tr key={n.line}>
                <td>
                  {n.purchase !== null ? `${n.purchase}/${n.of_line ?? ''}` : n.line} <span className="code">{n.item}</span>
                  {n.why_not && <span className="block text-[12px] text-attention">{n.why_not}</span>}
                </td>
                <td className="num">{quantity(n.quantity)}</td>
                <td className="num">{money(n.amount)}</td>
              </tr>
            ))}
            <tr>
              <td colSpan={3}>
                <Button look="link" onClick={() => setRead(null)}>
                  Enter by hand in its place
                </Button>
              </td>
            </tr>
          </tbody>
        </table>
      )}
      <table className={`rows ${read ? 'hidden' : ''}`} aria-label="What is asked for">
        <thead>
          <tr>
            <td className="w-6" />
            <th>came</th>
            <th className="num w-20">quantity</th>
            <th className="num w-24">EUR</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.delivery}>
              <td>
                <input type="checkbox" aria-label={`${r.purchase} line ${r.line}`} checked={at[r.delivery]?.isOn ?? false} onChange={(e) => set(r, { isOn: e.target.checked })} />
              </td>
              <td title={`${r.name}: received at ${money(r.value)} EUR`}>
                {r.purchase}/{r.line} <span className="code">{r.item}</span>{' '}
                <span className="text-[12px] text-quiet">
                  {quantity(r.units)} {r.bought_in}, {shortDay(r.came_at.slice(0, 10))}
                </span>
              </td>
              <td>
                <NumberEntry aria-label={`Quantity of ${r.purchase} line ${r.line}`} value={at[r.delivery]?.quantity ?? ''} onValue={(q) => set(r, { quantity: q, isOn: true })} />
              </td>
              <td>
                <NumberEntry aria-label={`Amount of ${r.purchase} line ${r.line}`} value={at[r.delivery]?.amount ?? ''} onValue={(q) => set(r, { amount: q, isOn: true })} />
              </td>
            </tr>
          ))}
          {head.supplier !== '' && open.data && rows.length === 0 && (
            <tr>
              <td colSpan={4} className="text-quiet">
                {isCredit ? 'Nothing went back after it was invoiced.' : 'All that this supplier brought is invoiced. Freight and fees are entered from the order that they are for.'}
              </td>
            </tr>
          )}
        </tbody>
      </table>
      <Field label="Total" hint="without tax, as the paper says: the lines have to add up to it">
        {(id, hint) => <NumberEntry id={id} aria-describedby={hint} value={total} onValue={setTotal} />}
      </Field>
    </div>
  );
}

/** Freight, duty or a fee for what came of a purchase order, of whomever. */
export function LandedForm({ given, onGiven }: Props) {
  const [head, setHead] = useState<Head>({ supplier: '', number: '', dated: '' });
  const [what, setWhat] = useState('Freight');
  const [amount, setAmount] = useState('');
  const [by, setBy] = useState<SpreadBy>('value');
  const deliveries = (given['deliveries'] as number[] | undefined) ?? [];
  const isWhole = head.supplier && head.number && head.dated && what && amount;
  const cost = { what, amount, spread_by: by, deliveries: deliveries.map((delivery) => ({ delivery })) };
  const sent = isWhole ? JSON.stringify({ ...head, costs: [cost] }) : '';
  useEffect(() => onGiven(sent ? (JSON.parse(sent) as Inputs['post-invoice']) : null, `Post ${what.toLowerCase()} of ${amount}`), [sent, what, amount, onGiven]);
  return (
    <div className="space-y-3">
      <HeadEntries head={head} onHead={setHead} />
      <Field label="What for">{(id) => <Entry id={id} value={what} onChange={(e) => setWhat(e.target.value)} />}</Field>
      <Field label="Amount">{(id) => <NumberEntry id={id} value={amount} onValue={setAmount} />}</Field>
      <Field label="Shared by" hint={`over the ${deliveries.length} deliveries of order ${String(given['purchase'] ?? '')}`}>
        {(id, hint) => (
          <select id={id} aria-describedby={hint} className="entry" value={by} onChange={(e) => setBy(e.target.value as SpreadBy)}>
            {values.SpreadBy.filter((v) => v !== 'by hand').map((v) => (
              <option key={v} value={v}>
                {v}
              </option>
            ))}
          </select>
        )}
      </Field>
    </div>
  );
}
