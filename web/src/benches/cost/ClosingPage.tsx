import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type Closing, closingOptions } from './queries';

/** Orders that are completed and wait to be closed, what the night closes, and what was closed before. */
export function ClosingPage() {
  const { start } = useCommands();
  const may = useMay();
  const closing = useQuery(closingOptions());
  const [marked, setMarked] = useState<readonly number[]>([]);
  const c = closing.data;
  const rule = c?.is_on ? `Each night those that vary by no more than ${money(c.most)} are closed, ${c.days} days after they were finished.` : 'None is closed at night.';
  return (
    <CostFrame
      title="Orders to close"
      words={c ? `${c.whole} completed and not closed. ${rule}` : rule}
      acts={
        <>
          {may.has('set-closing-rule') && (
            <Button look="link" onClick={() => start('set-closing-rule', c ? { is_on: c.is_on || undefined, most_variance: c.most, days: c.days } : {})}>
              What the night closes…
            </Button>
          )}
          {may.has('close-orders') && (c?.whole ?? 0) > 0 && (
            <Button look="act" onClick={() => start('close-orders', marked.length > 0 ? { orders: marked.join(', ') } : {})}>
              {marked.length > 0 ? `Close ${marked.length}…` : 'Close under a limit…'}
            </Button>
          )}
        </>
      }
    >
      <Loaded query={closing}>
        {(found) => (
          <>
            {found.rows.length === 0 ? (
              <Empty>Every completed order is closed.</Empty>
            ) : (
              <Rows closing={found} marked={marked} onMark={(n) => setMarked(marked.includes(n) ? marked.filter((m) => m !== n) : [...marked, n])} />
            )}
            <Runs closing={found} />
          </>
        )}
      </Loaded>
    </CostFrame>
  );
}

function Rows({ closing, marked, onMark }: { closing: Closing; marked: readonly number[]; onMark: (order: number) => void }) {
  return (
    <table className="rows" aria-label="Orders to close">
      <thead>
        <tr>
          <td className="w-9 pl-4!" />
          <th>Order</th>
          <th>finished</th>
          <th className="num">received</th>
          <th className="num">charged</th>
          <th className="num">variance</th>
          <th>basis</th>
          <th className="pr-4!">most of it</th>
        </tr>
      </thead>
      <tbody>
        {closing.rows.map((r) => (
          <tr key={r.order} className={marked.includes(r.order) ? 'bg-act-wash' : ''}>
            <td className="pl-4!">
              <input type="checkbox" aria-label={`Mark order ${r.order}`} checked={marked.includes(r.order)} onChange={() => onMark(r.order)} />
            </td>
            <td className="w-full max-w-0 truncate" title={r.name}>
              <Link className="quiet-link" to={`/orders/${r.order}/bridge`}>
                <span className="code">{r.order}</span> {r.name}
              </Link>
            </td>
            <td className="whitespace-nowrap">{day(r.finished)}</td>
            <td className="num">{quantity(r.quantity)}</td>
            <td className="num">{money(r.charged)}</td>
            <td className="num font-semibold">
              <VarianceText value={r.variance} />
            </td>
            <td className="text-quiet">{r.basis}</td>
            <td className="pr-4! whitespace-nowrap text-quiet">
              {r.cause && (
                <>
                  {r.cause} <VarianceText value={r.cause_amount} />
                </>
              )}
            </td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr className="font-semibold">
          <td />
          <td colSpan={4}>{closing.whole > closing.rows.length ? `All ${closing.whole}; those that vary most are shown` : 'All together'}</td>
          <td className="num">
            <VarianceText value={closing.variance} />
          </td>
          <td colSpan={2} />
        </tr>
      </tfoot>
    </table>
  );
}

function Runs({ closing }: { closing: Closing }) {
  if (closing.runs.length === 0) return null;
  return (
    <table className="rows mt-4" aria-label="Closed before">
      <thead>
        <tr>
          <th className="pl-4!">Closed together</th>
          <th>by</th>
          <th className="num">orders</th>
          <th className="num">left open</th>
          <th className="pr-4!">which</th>
        </tr>
      </thead>
      <tbody>
        {closing.runs.map((r) => (
          <tr key={r.at}>
            <td className="pl-4! whitespace-nowrap">{moment(r.at)}</td>
            <td className="whitespace-nowrap">{r.person || 'the night'}</td>
            <td className="num">{r.closed.length}</td>
            <td className="num">{r.left}</td>
            <td className="w-full max-w-0 truncate pr-4! text-quiet">{r.closed.join(', ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
