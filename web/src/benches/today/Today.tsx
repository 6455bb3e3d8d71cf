import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { itemsOptions, ordersOptions, workCentersOptions } from '../../api/queries';
import { type Attention, todayOptions, waitingOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { day } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { useMay } from '../../commands/useMay';

const acts: Record<string, { command: string; words: string } | undefined> = {
  late: { command: 'report', words: 'Report' },
  forgotten: { command: 'unwind', words: 'Unwind' },
  'to complete': { command: 'complete-order', words: 'Complete' },
  'to close': { command: 'close-order', words: 'Close' },
};

/** What needs a decision: one row for a cause, however many orders it stops, the costliest first. */
export function Today() {
  const today = useQuery(todayOptions());
  const orders = useInfiniteQuery(ordersOptions('', ''));
  return (
    <main className="h-full overflow-y-auto">
      <h1 className="px-4 pt-3 pb-2">Today</h1>
      <Loaded query={today}>
        {({ causes, whole }) =>
          causes.length > 0 ? (
            <>
              <Causes causes={causes} />
              {whole > causes.length && (
                <p className="px-4 py-2 text-quiet">
                  The {causes.length} that weigh most, of {whole}.
                </p>
              )}
            </>
          ) : orders.data?.pages[0]?.whole === 0 ? (
            <FirstSteps />
          ) : (
            <p className="px-4 text-quiet">
              Nothing needs a decision: no order is late, short, over its allowed cost, or waiting to be closed.
            </p>
          )
        }
      </Loaded>
    </main>
  );
}

function Causes({ causes }: { causes: Attention[] }) {
  const [opened, setOpened] = useState<number[]>([]);
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="pl-4!">What needs a decision</th>
          <th>because</th>
          <th className="num">orders</th>
          <th className="num">days</th>
          <th className="num">EUR at stake</th>
          <td />
        </tr>
      </thead>
      {causes.map((a) => {
        const isOpen = opened.includes(a.id);
        const toggle = () => setOpened((was) => (isOpen ? was.filter((id) => id !== a.id) : [...was, a.id]));
        return (
          <tbody key={a.id}>
            <tr>
              <td className="w-full pl-4!">
                {a.kind !== 'short' ? (
                  <span className="block pl-5">{a.sentence}</span>
                ) : (
                  <button type="button" className="cursor-pointer text-left" aria-expanded={isOpen} onClick={toggle}>
                    <span aria-hidden className="inline-block w-5 text-quiet">
                      {isOpen ? '▾' : '▸'}
                    </span>
                    {a.sentence}
                  </button>
                )}
              </td>
              <td className="whitespace-nowrap text-attention">{a.kind}</td>
              <td className="num">{a.orders > 0 && a.orders}</td>
              <td className="num">{a.days > 0 && a.days}</td>
              <td className="num">
                <Money value={a.money} />
              </td>
              <td className="num pr-4! whitespace-nowrap">
                <Act cause={a} />
              </td>
            </tr>
            {isOpen && <Waiting item={a.item} />}
          </tbody>
        );
      })}
    </table>
  );
}

/** The orders that one missing item stops. */
function Waiting({ item }: { item: string }) {
  const waiting = useQuery(waitingOptions(item));
  return waiting.data?.map((w) => (
    <tr key={w.order} className="text-quiet">
      <td className="pl-14!">
        <Link className="code quiet-link mr-2" to={`/orders/${w.order}`}>
          {w.order}
        </Link>
        {w.name} {quantity(w.quantity)} {w.unit}, due {day(w.due)}
      </td>
      <td className="whitespace-nowrap">
        {quantity(w.short)} short
      </td>
      <td />
      <td className="num">{w.days > 0 && w.days}</td>
      <td className="num">
        <Money value={w.money} />
      </td>
      <td className="num pr-4!">
        <Link className="quiet-link text-act" to={`/orders/${w.order}`}>
          See
        </Link>
      </td>
    </tr>
  ));
}

/** What is done about a cause: more of what is missing, a report, a close; else where it is seen. */
function Act({ cause: a }: { cause: Attention }) {
  const { start } = useCommands();
  const may = useMay();
  const act = acts[a.kind];
  if (a.kind === 'expires') {
    return (
      <Link className="quiet-link text-act" to={`/release/stock/${encodeURIComponent(a.item)}`}>
        See the lots
      </Link>
    );
  }
  if (a.kind === 'overdue') {
    return (
      <Link className="quiet-link text-act" to="/buy?which=late">
        See what is late
      </Link>
    );
  }
  if (a.kind === 'promise') {
    return (
      <Link className="quiet-link text-act" to="/plan">
        See who waits
      </Link>
    );
  }
  if (a.item !== '') {
    const command = a.is_made ? 'plan-order' : 'receive-material';
    if (may.has(command)) {
      return (
        <Button look="link" onClick={() => start(command, { item: a.item })}>
          {a.is_made ? 'Order more' : 'Receive'} {a.item}…
        </Button>
      );
    }
    return (
      <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(a.item)}`}>
        See the item
      </Link>
    );
  }
  if (act && may.has(act.command)) {
    return (
      <Button look="link" onClick={() => start(act.command, act.command === 'unwind' ? { orders: String(a.order) } : { order: a.order })}>
        {act.words} {a.order}…
      </Button>
    );
  }
  const isSeenThere = ['late', 'revised', "can't be computed", 'forgotten', 'to complete', 'out too long'].includes(a.kind);
  return (
    <Link className="quiet-link text-act" to={isSeenThere ? `/orders/${a.order}` : `/orders/${a.order}/bridge`}>
      {isSeenThere ? 'See the order' : 'See why'}
    </Link>
  );
}

/** What an empty shop needs, the simplest thing first. */
function FirstSteps() {
  const { start } = useCommands();
  const items = useInfiniteQuery(itemsOptions('')).data?.pages.flatMap((p) => p.rows) ?? [];
  const centers = useQuery(workCentersOptions());
  const made = items.find((i) => i.source !== 'buy');
  const bought = items.filter((i) => i.source === 'buy');
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
