import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { basicsOptions } from '../../api/queries';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Entry, Field, NumberEntry } from '../../ui/Field';
import { transfersOptions, type Transfer } from './queries';

type Props = OwnFormProps<Inputs['receive-transfer']>;
interface Typed {
  arrived: string[];
  missing: string[];
  place: string;
  why: string;
  reason: string;
}

/** What came of a transfer, line by line: all that is on the way, unless something else is entered. */
export function ReceiveTransferForm({ given, onGiven }: Props) {
  const transfers = useQuery(transfersOptions());
  const transfer = transfers.data?.find((t) => t.number === Number(given['transfer']));
  return transfer ? <Lines transfer={transfer} onGiven={onGiven} /> : <p className="text-quiet">Loading</p>;
}

function Lines({ transfer, onGiven }: { transfer: Transfer; onGiven: Props['onGiven'] }) {
  const basics = useQuery(basicsOptions());
  const left = transfer.lines.filter((n) => !isZero(n.left));
  const [typed, setTyped] = useState<Typed | null>(null);
  const tell = (next: Typed) => {
    setTyped(next);
    const lines = left.map((n, at) => ({
      item: n.item,
      lot: n.lot,
      arrived: next.arrived[at] || '0',
      missing: next.missing[at] || '0',
    }));
    const more = { ...(next.why && { why: next.why }), ...(next.reason && { reason: next.reason }) };
    onGiven({ transfer: transfer.number, place: next.place, lines, ...more }, `Receive transfer ${transfer.number}`);
  };
  if (typed === null) {
    const first = { arrived: left.map((n) => plain(n.left)), missing: left.map(() => ''), place: transfer.to_place, why: '', reason: '' };
    queueMicrotask(() => tell(first));
    setTyped(first);
    return null;
  }
  const set = (patch: Partial<Typed>) => tell({ ...typed, ...patch });
  const ends = [
    [transfer.to_place, transfer.to_name],
    [transfer.from_place, `${transfer.from_name}, where it came from`],
  ] as const;
  return (
    <div className="space-y-3">
      <table className="rows" aria-label="What came">
        <thead>
          <tr>
            <th>Item</th>
            <th className="num">on the way</th>
            <th className="num w-20">arrived</th>
            <th className="num w-20">missing</th>
          </tr>
        </thead>
        <tbody>
          {left.map((n, at) => (
            <tr key={`${n.item} ${n.lot}`}>
              <td>
                <span className="code" title={n.name}>
                  {n.item}
                </span>{' '}
                <span className="code text-quiet">{n.lot}</span>
              </td>
              <td className="num">
                {quantity(n.left)}
                <span className="unit">{n.unit}</span>
              </td>
              <td className="num">
                <NumberEntry
                  aria-label={`${n.item} ${n.lot} arrived`}
                  autoFocus={at === 0}
                  value={typed.arrived[at] ?? ''}
                  onValue={(q) => set({ arrived: typed.arrived.with(at, q) })}
                />
              </td>
              <td className="num">
                <NumberEntry
                  aria-label={`${n.item} ${n.lot} missing`}
                  value={typed.missing[at] ?? ''}
                  onValue={(q) => set({ missing: typed.missing.with(at, q) })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Field label="Into">
        {(id) => (
          <select id={id} className="entry" value={typed.place} onChange={(e) => set({ place: e.target.value })}>
            {ends.map(([code, words]) => (
              <option key={code} value={code}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Cause" hint="where some of it is missing">
        {(id, hint) => (
          <select id={id} aria-describedby={hint} className="entry" value={typed.why} onChange={(e) => set({ why: e.target.value })}>
            <option value="">choose</option>
            {basics.data?.reasons.filter((r) => r.use === 'adjustment').map((r) => (
              <option key={r.code} value={r.code}>
                {r.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Note">{(id) => <Entry id={id} value={typed.reason} onChange={(e) => set({ reason: e.target.value })} />}</Field>
    </div>
  );
}
