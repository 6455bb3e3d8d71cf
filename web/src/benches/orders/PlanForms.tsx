import { useEffect, useState } from 'react';
import type { OwnFormProps } from '../../commands/form';
import type { Inputs } from '../../commands/inputs';
import { ordersPasted } from './logic';

/** Orders pasted as a table: item, quantity, due, and whose order it is for. */
export function PlanTableForm({ onGiven }: OwnFormProps<Inputs['plan-orders']>) {
  const [text, setText] = useState('');
  const { orders, wrong } = ordersPasted(text);
  const change = (next: string) => {
    setText(next);
    const pasted = ordersPasted(next);
    const isWhole = pasted.orders.length > 0 && pasted.wrong.length === 0;
    onGiven(isWhole ? { orders: pasted.orders } : null, `Plan ${pasted.orders.length} ${pasted.orders.length === 1 ? 'order' : 'orders'}`);
  };
  return (
    <div className="space-y-2">
      <label htmlFor="pasted-orders" className="block text-quiet">
        One order a line, as copied from a spreadsheet: item, quantity, due (2026-12-18), and, if you like, the customer’s order.
      </label>
      <textarea
        id="pasted-orders"
        // oxlint-disable-next-line jsx-a11y/no-autofocus -- it is where the paste goes
        autoFocus
        rows={10}
        className="entry h-auto! font-mono text-[13px]"
        value={text}
        onChange={(e) => change(e.target.value)}
      />
      <p role="status" className="text-quiet">
        {orders.length} {orders.length === 1 ? 'order' : 'orders'}
      </p>
      {wrong.map((w) => (
        <p key={w} className="text-attention">
          {w}
        </p>
      ))}
    </div>
  );
}

/** Orders that are released together: what there is goes to those due first. */
export function ReleaseOrdersForm({ given, onGiven }: OwnFormProps<Inputs['release-orders']>) {
  const numbers = (given['orders'] as number[] | undefined) ?? [];
  useEffect(() => {
    onGiven(numbers.length > 0 ? { orders: numbers } : null, numbers.length === 1 ? `Release order ${numbers[0]}` : `Release ${numbers.length} orders`);
    // oxlint-disable-next-line react/exhaustive-deps -- what was marked does not change while the form is open
  }, []);
  return (
    <p>
      <span className="code">{numbers.join(', ')}</span>{' '}
      <span className="text-quiet">in one act. Material that there is goes to those due first; what is short is said below.</span>
    </p>
  );
}
