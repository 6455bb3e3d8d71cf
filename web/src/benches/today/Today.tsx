import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { type Attention, itemsOptions, ordersOptions, todayOptions, workCentersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { isZero } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { useMay } from '../../commands/useMay';

const acts: Record<string, { command: string; words: string } | undefined> = {
  late: { command: 'report', words: 'Report' },
  'to close': { command: 'close-order', words: 'Close' },
};

/** What needs a decision: one table of sentences, the costliest first. */
export function Today() {
  const today = useQuery(todayOptions());
  const orders = useQuery(ordersOptions());
  return (
    <main className="h-full overflow-y-auto">
      <h1 className="px-4 pt-3 pb-2">Today</h1>
      <Loaded query={today}>
        {(rows) =>
          rows.length > 0 ? <Sentences rows={rows} /> : orders.data?.length === 0 ? <FirstSteps /> : (
            <p className="px-4 text-quiet">
              Nothing needs a decision: no order is late, short, over its allowed cost, or waiting to be closed.
            </p>
          )
        }
      </Loaded>
    </main>
  );
}

function Sentences({ rows }: { rows: Attention[] }) {
  const { start } = useCommands();
  const may = useMay();
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="pl-4!">Order</th>
          <th>Because</th>
          <th>What needs a decision</th>
          <th className="num">days</th>
          <th className="num">EUR at stake</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {rows.map((a) => {
          const act = acts[a.kind];
          const isAllowed = act && may.has(act.command);
          return (
            <tr key={`${a.order}-${a.kind}`}>
              <td className="pl-4!">
                <Link className="code quiet-link" to={`/orders/${a.order}`}>
                  {a.order}
                </Link>
              </td>
              <td className="whitespace-nowrap text-attention">{a.kind}</td>
              <td className="w-full">{a.sentence}</td>
              <td className="num">{a.days > 0 && a.days}</td>
              <td className="num">
                <Money value={a.money} />
              </td>
              <td className="num pr-4!">
                {isAllowed ? (
                  <Button look="link" onClick={() => start(act.command, { order: a.order })}>
                    {act.words} {a.order}…
                  </Button>
                ) : (
                  <Link
                    className="quiet-link text-act"
                    to={a.kind === 'short' || a.kind === 'late' ? `/orders/${a.order}` : `/orders/${a.order}/bridge`}
                  >
                    {a.kind === 'short' || a.kind === 'late' ? 'See the order' : 'See why'}
                  </Link>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What an empty shop needs, the simplest thing first. */
function FirstSteps() {
  const { start } = useCommands();
  const items = useQuery(itemsOptions());
  const centers = useQuery(workCentersOptions());
  const made = items.data?.find((i) => i.source !== 'buy');
  const bought = items.data?.filter((i) => i.source === 'buy') ?? [];
  const steps: [string, boolean, string, () => void][] = [
    ['A place where stock lies', false, 'Define a place', () => start('define-place', { code: 'STORE', name: 'Main store' })],
    ['The components that are bought, each with its price', bought.length > 0, 'Define a component', () => start('define-item')],
    ['What came in of them, at its price', bought.some((i) => !isZero(i.on_hand)), 'Receive material', () => start('receive-material')],
    ['A work center with its rates per hour', (centers.data?.length ?? 0) > 0, 'Define a work center', () => start('define-work-center')],
    ['The item that is made', made !== undefined, 'Define what is made', () => start('define-item', { source: 'make' })],
  ];
  return (
    <section className="max-w-[720px] px-4">
      <p className="mb-3">
        The shop is empty. The simplest thing first: one item, its components, one operation, an order, and what it
        cost.
      </p>
      <table className="rows">
        <tbody>
          {steps.map(([words, isThere, label, act], n) => (
            <tr key={words}>
              <td className="w-6 text-quiet">{n + 1}</td>
              <td>
                {words}
                {isThere && <span className="ml-2 text-quiet">✓ there</span>}
              </td>
              <td className="num">
                <Button look="link" onClick={act}>
                  {label}…
                </Button>
              </td>
            </tr>
          ))}
          <tr>
            <td className="text-quiet">6</td>
            <td>Its structure: the operation and the components it uses; then approve it and freeze the standard</td>
            <td className="num">
              {made ? (
                <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(made.code)}/edit`}>
                  Draft the structure of {made.code}
                </Link>
              ) : (
                <span className="text-quiet">after 5</span>
              )}
            </td>
          </tr>
          <tr>
            <td className="text-quiet">7</td>
            <td>An order</td>
            <td className="num">
              <Button look="link" onClick={() => start('plan-order', made ? { item: made.code } : {})}>
                Plan an order…
              </Button>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
  );
}
