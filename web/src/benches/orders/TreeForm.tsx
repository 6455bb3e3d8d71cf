import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { basicsOptions, partnersOptions } from '../../api/queries';
import { FoundList } from '../../commands/FoundList';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import { isZero, quantity } from '../../lib/decimal';
import { Entry, Field, NumberEntry } from '../../ui/Field';
import { madeComponentsOptions } from './queries';

type How = Inputs['plan-tree']['components'][number]['how'];
const hows: How[] = ['from stock', 'order of its own', 'within the order'];

interface Typed {
  item: string;
  quantity: string;
  due: string;
  place: string;
  customer: string;
  customer_order: string;
  how: Record<string, How>;
}

/** An order with the orders of its made components: for each it is decided where it comes from. */
export function PlanTreeForm({ given, onGiven }: OwnFormProps<Inputs['plan-tree']>) {
  const [typed, setTyped] = useState<Typed>({ item: String(given['item'] ?? ''), quantity: '', due: '', place: '', customer: '', customer_order: '', how: {} });
  const places = useQuery(basicsOptions()).data?.places ?? [];
  const customers = (useQuery(partnersOptions()).data ?? []).filter((p) => p.is_customer);
  const change = (more: Partial<Typed>) => {
    const now = { ...typed, ...more };
    setTyped(now);
    const isWhole = now.item.trim() !== '' && /^\d+(\.\d+)?$/.test(now.quantity) && now.due !== '';
    onGiven(
      isWhole
        ? {
            item: now.item.trim(),
            quantity: now.quantity,
            due: now.due,
            components: Object.entries(now.how).map(([item, how]) => ({ item, how })),
            ...(now.place ? { supply_place: now.place, receipt_place: now.place } : {}),
            ...(now.customer ? { customer: now.customer } : {}),
            ...(now.customer_order ? { customer_order: now.customer_order } : {}),
          }
        : null,
      `Plan ${now.item} and its parts`,
    );
  };
  return (
    <div className="space-y-2">
      <Field label="Item">
        {(id) => (
          <>
            <Entry id={id} list={`${id}-list`} value={typed.item} onChange={(e) => change({ item: e.target.value, how: {} })} />
            <FoundList id={`${id}-list`} kind="made item" typed={typed.item} />
          </>
        )}
      </Field>
      <Field label="Quantity">{(id) => <NumberEntry id={id} value={typed.quantity} onValue={(v) => change({ quantity: v })} />}</Field>
      <Field label="Due">{(id) => <Entry id={id} type="date" value={typed.due} onChange={(e) => change({ due: e.target.value })} />}</Field>
      <Field label="Place" hint="of all its orders; empty: as for each item's last order">
        {(id, hint) => (
          <select id={id} aria-describedby={hint} className="entry" value={typed.place} onChange={(e) => change({ place: e.target.value })}>
            <option value="">choose</option>
            {places.map((p) => (
              <option key={p.code} value={p.code}>
                {p.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Customer">
        {(id) => (
          <select id={id} className="entry" value={typed.customer} onChange={(e) => change({ customer: e.target.value })}>
            <option value="">choose</option>
            {customers.map((p) => (
              <option key={p.code} value={p.code}>
                {p.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Their order">{(id) => <Entry id={id} value={typed.customer_order} onChange={(e) => change({ customer_order: e.target.value })} />}</Field>
      <Components item={typed.item.trim()} asked={typed.quantity} how={typed.how} onHow={(item, how) => change({ how: { ...typed.how, [item]: how } })} />
    </div>
  );
}

/** The made components over all levels; where nothing is chosen, stock that is enough is used, else it is made. */
function Components({ item, asked, how, onHow }: { item: string; asked: string; how: Record<string, How>; onHow: (item: string, how: How) => void }) {
  const made = useQuery(madeComponentsOptions(item, asked)).data;
  if (!made) return null;
  if (made.length === 0) return <p className="text-quiet">It has no made components.</p>;
  return (
    <table className="rows" aria-label="Made components">
      <thead>
        <tr>
          <th>Made component</th>
          <th className="num">need</th>
          <th className="num">free</th>
          <th>comes</th>
        </tr>
      </thead>
      <tbody>
        {made.map((c) => (
          <tr key={c.item}>
            <td title={c.name}>
              <span className="code" style={{ paddingLeft: (c.level - 1) * 10 }}>
                {c.item}
              </span>
            </td>
            <td className="num">{quantity(c.need)}</td>
            <td className="num">{isZero(c.free) ? '–' : quantity(c.free)}</td>
            <td>
              <select aria-label={`How ${c.item} comes`} className="entry w-32!" value={how[c.item] ?? ''} onChange={(e) => onHow(c.item, e.target.value as How)}>
                {!how[c.item] && <option value="">as needed</option>}
                {hows
                  .filter((h) => h !== 'within the order' || c.has_structure)
                  .map((h) => (
                    <option key={h} value={h}>
                      {h}
                    </option>
                  ))}
              </select>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
