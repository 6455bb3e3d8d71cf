import { useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import { basicsOptions } from '../../api/queries';
import type { components } from '../../api/schema';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import type { Column, Row } from '../../commands/rows';
import { RowsEntry } from '../../commands/RowsEntry';
import { plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Entry, Field, NumberEntry } from '../../ui/Field';
import { UblEntry, useFileRead } from './FileRead';
import { changedLines, cameLines, sentLines, type TypedLine } from './logic';
import { askSupplier, purchaseOptions, supplierPaper, type Purchase, type PurchaseLine } from './queries';

type Despatch = components['schemas']['DespatchMatched'];

const lotColumns: Column[] = [
  { name: 'lot', label: 'lot or serial', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
  { name: 'supplier_code', label: "supplier's code", kind: 'text', className: 'w-24!' },
  { name: 'expires_on', label: 'last day', kind: 'date', className: 'w-32!' },
];
const newColumns: Column[] = [
  { name: 'item', label: 'item', kind: 'text', className: 'w-28!' },
  { name: 'quantity', label: 'quantity', kind: 'number', className: 'w-16!' },
  { name: 'unit', label: 'unit', kind: 'text', className: 'w-14!' },
  { name: 'price', label: 'EUR each', kind: 'number' },
  { name: 'comes_on', label: 'there on', kind: 'date', className: 'w-32!' },
];

/** The form of an act on a purchase order, once it is there. */
function OfPurchase({ given, children }: { given: Record<string, unknown>; children: (p: Purchase) => ReactNode }) {
  const found = useQuery(purchaseOptions(Number(given['purchase'])));
  return found.data ? children(found.data) : <p className="text-quiet">Loading</p>;
}

/** What the supplier confirms: lines that stay as they are, are confirmed as they are. */
export function ConfirmForm({ given, onGiven }: OwnFormProps<Inputs['confirm-purchase']>) {
  return <OfPurchase given={given}>{(p) => <Confirm purchase={p} onGiven={onGiven} />}</OfPurchase>;
}

function Confirm({ purchase: p, onGiven }: { purchase: Purchase; onGiven: OwnFormProps<Inputs['confirm-purchase']>['onGiven'] }) {
  const [lines, setLines] = useState<Record<number, TypedLine>>({});
  const [theirs, setTheirs] = useState(p.their_number);
  const sent = JSON.stringify({ purchase: p.number, their_number: theirs, lines: changedLines(p.lines, lines) });
  useEffect(() => onGiven(JSON.parse(sent) as Inputs['confirm-purchase'], `Confirm ${p.number}`), [sent, p.number, onGiven]);
  return (
    <div className="space-y-3">
      <Button
        look="link"
        onClick={() =>
          void askSupplier(p.number).then((said) => {
            setTheirs(said.their_number);
            setLines(Object.fromEntries(said.lines.map((n) => [n.line, p.lines.some((m) => m.line === n.line && m.is_work) ? { comes_on: n.comes_on } : { quantity: plain(n.quantity), comes_on: n.comes_on }])));
          })
        }
      >
        Ask the simulated supplier
      </Button>
      <Field label="Their number">{(id) => <Entry id={id} autoFocus value={theirs} onChange={(e) => setTheirs(e.target.value)} />}</Field>
      <ChangedLines lines={p.lines} typed={lines} onTyped={setLines} />
    </div>
  );
}

/** What is different of a purchase order, and what is added to it. */
export function ChangeForm({ given, onGiven }: OwnFormProps<Inputs['change-purchase']>) {
  return <OfPurchase given={given}>{(p) => <Change purchase={p} onGiven={onGiven} />}</OfPurchase>;
}

function Change({ purchase: p, onGiven }: { purchase: Purchase; onGiven: OwnFormProps<Inputs['change-purchase']>['onGiven'] }) {
  const [lines, setLines] = useState<Record<number, TypedLine>>({});
  const [added, setAdded] = useState<Row[]>([]);
  const [note, setNote] = useState(p.note);
  const drop = p.lines.filter((n) => lines[n.line]?.drop).map((n) => n.line);
  const sent = JSON.stringify({
    purchase: p.number,
    lines: changedLines(p.lines, lines),
    drop,
    add: added.filter((r) => Object.keys(r).length > 0),
    ...(note !== p.note && { note }),
  });
  useEffect(() => onGiven(JSON.parse(sent) as Inputs['change-purchase'], `Change ${p.number}`), [sent, p.number, onGiven]);
  return (
    <div className="space-y-3">
      <ChangedLines lines={p.lines} typed={lines} onTyped={setLines} mayDrop />
      <RowsEntry legend="Added" add="Add a line" columns={newColumns} rows={added} onRows={setAdded} />
      <Field label="Note">{(id) => <Entry id={id} value={note} onChange={(e) => setNote(e.target.value)} />}</Field>
    </div>
  );
}

function ChangedLines({ lines, typed, onTyped, mayDrop = false }: { lines: PurchaseLine[]; typed: Record<number, TypedLine>; onTyped: (typed: Record<number, TypedLine>) => void; mayDrop?: boolean }) {
  const set = (line: number, patch: TypedLine) => onTyped({ ...typed, [line]: { ...typed[line], ...patch } });
  return (
    <table className="rows" aria-label="Lines">
      <thead>
        <tr>
          <th>Line</th>
          <th className="num w-16">quantity</th>
          <th className="num w-16">EUR each</th>
          <th className="w-30">there on</th>
          {mayDrop && <th>out</th>}
        </tr>
      </thead>
      <tbody>
        {lines.map((n) => {
          const t = typed[n.line] ?? {};
          return (
            <tr key={n.line} className={t.drop ? 'text-quiet line-through' : ''}>
              <td title={n.name}>
                <span className="code">{n.item}</span> <span className="text-quiet">{n.unit}</span>
              </td>
              <td>
                <NumberEntry aria-label={`Quantity of line ${n.line}`} value={t.quantity ?? plain(n.quantity)} onValue={(q) => set(n.line, { quantity: q })} />
              </td>
              <td>
                <NumberEntry aria-label={`Price of line ${n.line}`} value={t.price ?? plain(n.price)} onValue={(q) => set(n.line, { price: q })} />
              </td>
              <td>
                <Entry type="date" aria-label={`Day of line ${n.line}`} value={t.comes_on ?? n.comes_on} onChange={(e) => set(n.line, { comes_on: e.target.value })} />
              </td>
              {mayDrop && (
                <td>
                  <input type="checkbox" aria-label={`Leave out line ${n.line}`} checked={t.drop ?? false} onChange={(e) => set(n.line, { drop: e.target.checked })} />
                </td>
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What came of a purchase order: all that is awaited, unless something else is entered. */
export function ReceiveForm({ given, onGiven }: OwnFormProps<Inputs['receive-purchase']>) {
  return <OfPurchase given={given}>{(p) => <Receive purchase={p} onGiven={onGiven} />}</OfPurchase>;
}

function Receive({ purchase: p, onGiven }: { purchase: Purchase; onGiven: OwnFormProps<Inputs['receive-purchase']>['onGiven'] }) {
  const [quantities, setQuantities] = useState<Record<number, string>>(() => Object.fromEntries(p.lines.map((n) => [n.line, plain(n.coming_units)])));
  const [lots, setLots] = useState<Record<number, Row[]>>({});
  const [lost, setLost] = useState<Record<number, Row[]>>({});
  const [note, setNote] = useState('');
  const [reason, setReason] = useState('');
  const basics = useQuery(basicsOptions());
  const reasons = basics.data?.reasons.filter((r) => r.use === 'scrap').map((r) => ({ value: r.code, words: r.name })) ?? [];
  const lostColumns: Column[] = [
    { name: 'reason', label: 'why', kind: 'choice', className: 'w-36!', options: reasons },
    { name: 'quantity', label: 'lost', kind: 'number', className: 'w-16!' },
  ];
  const { faults, take } = useFileRead<Despatch>('/api/despatches/read', (said) => {
    const { own, others } = sentLines(said.lines, p.number);
    setQuantities(Object.fromEntries(own.map((n) => [n.line, plain(n.quantity)])));
    setLots(Object.fromEntries(own.map((n) => [n.line, n.lots.map((l) => ({ lot: l.lot, quantity: plain(l.quantity), supplier_code: l.supplier_code, ...(l.expires_on && { expires_on: l.expires_on }) }))])));
    setNote(said.number);
    return [...said.faults, ...others.map((number) => `it also brings something of order ${number}: receive that there`)];
  });
  const lines = cameLines(p.lines, quantities, lots, lost);
  const sent = lines.length ? JSON.stringify({ purchase: p.number, lines, despatch_note: note, reason }) : '';
  useEffect(() => onGiven(sent ? (JSON.parse(sent) as Inputs['receive-purchase']) : null, `Receive against ${p.number}`), [sent, p.number, onGiven]);
  return (
    <div className="space-y-3">
      <UblEntry label="Read a despatch advice (UBL 2.1)" faults={faults} take={take} />
      <Button look="link" onClick={() => void supplierPaper(p.number, 'despatch').then(take)}>
        Ask the simulated supplier what he sends
      </Button>
      <table className="rows" aria-label="What came">
        <thead>
          <tr>
            <th>Line</th>
            <th className="num">to come</th>
            <th className="num w-24">came</th>
          </tr>
        </thead>
        <tbody>
          {p.lines.map((n, at) => (
            <tr key={n.line}>
              <td title={n.name}>
                {n.line} <span className="code">{n.item}</span> {n.is_work && <span className="text-quiet">good of {n.order}</span>}
              </td>
              <td className="num">
                {quantity(n.coming_units)}
                <span className="unit">{n.unit}</span>
              </td>
              <td>
                <NumberEntry aria-label={`Came of line ${n.line}`} autoFocus={at === 0} value={quantities[n.line] ?? ''} onValue={(q) => setQuantities({ ...quantities, [n.line]: q })} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.lines
        .filter((n) => n.tracking !== 'none' && !n.is_work)
        .map((n) => (
          <RowsEntry key={n.line} legend={`Lots of line ${n.line}, ${n.item} [${n.stock_unit}]; empty: numbered by its rule`} add="Add a lot" columns={lotColumns} rows={lots[n.line] ?? []} onRows={(rows) => setLots({ ...lots, [n.line]: rows })} />
        ))}
      {p.lines
        .filter((n) => n.is_work && reasons.length > 0)
        .map((n) => (
          <RowsEntry key={n.line} legend={`Lost or missing of line ${n.line}, order ${n.order}`} add="Add a loss" columns={lostColumns} rows={lost[n.line] ?? []} onRows={(rows) => setLost({ ...lost, [n.line]: rows })} />
        ))}
      <Field label="Despatch note">{(id) => <Entry id={id} value={note} onChange={(e) => setNote(e.target.value)} />}</Field>
      <Field label="Why" hint="where more came than is taken without a reason">
        {(id, hint) => <Entry id={id} aria-describedby={hint} value={reason} onChange={(e) => setReason(e.target.value)} />}
      </Field>
    </div>
  );
}
