import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { basicsOptions, namedItemsOptions, orderOptions, type Order } from '../../api/queries';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Entry, NumberEntry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import { FoundList } from '../../commands/FoundList';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';

type Direction = 'issue' | 'return';
type MoveProps = OwnFormProps<Inputs['issue-material'] & Inputs['return-material']>;

const count = (n: number) => `${n} line${n === 1 ? '' : 's'}`;
const filled = (q: string) => q !== '' && !isZero(q);

export const IssueForm = (props: MoveProps) => <MoveForm {...props} direction="issue" />;
export const ReturnForm = (props: MoveProps) => <MoveForm {...props} direction="return" />;

/** Issue to an order or return from it: its components, filled in with what is still needed. */
function MoveForm({ given, onGiven, direction }: MoveProps & { direction: Direction }) {
  const order = useQuery(orderOptions(Number(given['order'])));
  return <Loaded query={order}>{(o) => <IssueLines order={o} onGiven={onGiven} direction={direction} />}</Loaded>;
}

function IssueLines({
  order,
  onGiven,
  direction,
}: {
  order: Order;
  onGiven: MoveProps['onGiven'];
  direction: Direction;
}) {
  const components = order.inputs.filter((i) => i.kind === 'component');
  const [lines, setLines] = useState<string[] | null>(null);
  const change = (next: string[]) => {
    setLines(next);
    const moved = components
      .map((c, n) => ({ operation: c.operation, item: c.code, quantity: next[n] ?? '' }))
      .filter((line) => filled(line.quantity));
    const verb = direction === 'issue' ? 'Issue' : 'Return';
    onGiven(moved.length > 0 ? { order: order.number, lines: moved } : null, `${verb} ${count(moved.length)}`);
  };
  if (lines === null) {
    const first = components.map((c) =>
      direction === 'issue' && c.issue_rule === 'by hand' && !isZero(c.still) ? plain(c.still) : '',
    );
    queueMicrotask(() => change(first));
    setLines(first);
    return null;
  }
  if (components.length === 0) return <p className="text-quiet">The order has no components.</p>;
  return (
    <table className="rows" aria-label={direction === 'issue' ? 'Lines to issue' : 'Lines to return'}>
      <thead>
        <tr>
          <th>Component</th>
          <th className="num">{direction === 'issue' ? 'still / on hand' : 'issued'}</th>
          <th className="num w-24">{direction === 'issue' ? 'issue' : 'return'}</th>
        </tr>
      </thead>
      <tbody>
        {components.map((c, n) => (
          <tr key={`${c.operation}-${c.code}`}>
            <td>
              <span className="code" title={c.name}>
                {c.code}
              </span>
              <span className="ml-1 text-[12px] text-quiet">op {c.operation}</span>
            </td>
            <td className="num">
              {direction === 'issue' ? `${quantity(c.still)} / ${quantity(c.on_hand ?? '0')}` : quantity(c.used)}
              <span className="unit">{c.unit}</span>
            </td>
            <td className="num">
              <NumberEntry
                aria-label={`${c.code} at operation ${c.operation}`}
                autoFocus={n === 0}
                value={lines[n] ?? ''}
                onValue={(q) => change(lines.with(n, q))}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface MaterialLine {
  item: string;
  quantity: string;
  price: string;
  place: string;
}

/** Bought material that came in. */
export function ReceiveMaterialForm({ given, onGiven }: OwnFormProps<Inputs['receive-material']>) {
  const [typed, setTyped] = useState('');
  const basics = useQuery(basicsOptions());
  const place = basics.data?.places[0]?.code ?? '';
  const [lines, setLines] = useState<MaterialLine[]>([
    { item: String(given['item'] ?? ''), quantity: String(given['quantity'] ?? ''), price: '', place: '' },
  ]);
  const change = (next: MaterialLine[]) => {
    setLines(next);
    const good = next.filter((l) => l.item && filled(l.quantity) && l.price !== '');
    const posted = good.map((l) => ({ ...l, place: l.place || place }));
    onGiven(posted.length > 0 ? { lines: posted } : null, `Receive ${count(good.length)}`);
  };
  const known = useQuery(namedItemsOptions([...new Set(lines.map((l) => l.item).filter(Boolean))].toSorted()));
  const named = (code: string) => known.data?.find((i) => i.code === code);
  const isPriced = (l: MaterialLine) => l.price !== '' || !named(l.item)?.price;
  useEffect(() => {
    // what an item costs is entered as soon as it is known which one is meant
    if (!lines.every(isPriced)) change(lines.map((l) => (isPriced(l) ? l : { ...l, price: plain(named(l.item)?.price ?? '') })));
    // oxlint-disable-next-line react/exhaustive-deps -- only when another item is known, not when a price is cleared
  }, [known.data]);
  return (
    <div className="space-y-2">
      <FoundList id="bought-items" kind="bought item" typed={typed} />
      {lines.map((line, n) => {
        const set = (patch: Partial<MaterialLine>) => change(lines.with(n, { ...line, ...patch }));
        const item = named(line.item);
        return (
          <div key={n} className="grid grid-cols-[1fr_88px_88px] gap-1">
            <Entry
              aria-label={`Item ${n + 1}`}
              placeholder="Item"
              list="bought-items"
              value={line.item}
              onChange={(e) => {
                setTyped(e.target.value);
                set({ item: e.target.value });
              }}
            />
            <NumberEntry
              aria-label={`Quantity ${n + 1}`}
              placeholder={item?.unit ?? 'quantity'}
              value={line.quantity}
              onValue={(q) => set({ quantity: q })}
            />
            <NumberEntry
              aria-label={`Price ${n + 1}, EUR per unit`}
              placeholder="EUR/unit"
              value={line.price}
              onValue={(price) => set({ price })}
            />
            <select
              aria-label={`Place ${n + 1}`}
              className="entry col-span-3"
              value={line.place || place}
              onChange={(e) => set({ place: e.target.value })}
            >
              {(basics.data?.places ?? []).map((p) => (
                <option key={p.code} value={p.code}>
                  into {p.name}
                </option>
              ))}
            </select>
          </div>
        );
      })}
      <Button look="link" onClick={() => change([...lines, { item: '', quantity: '', price: '', place: '' }])}>
        Another line
      </Button>
    </div>
  );
}
