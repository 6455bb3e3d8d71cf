import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useCallback, useState } from 'react';
import { Link, Outlet, useLocation, useParams, useSearchParams } from 'react-router';
import { orderOptions, type OrderRow, ordersOptions } from '../api/queries';
import { useCommands } from '../commands/CommandContext';
import { day } from '../lib/date';
import { quantity } from '../lib/decimal';
import { Button } from '../ui/Button';
import { Queue } from '../ui/Queue';
import { Loaded } from '../ui/States';
import { beside } from './beside';
import { benchOf, type OrderBench, waiting } from './waiting';

const empty: Record<OrderBench, string> = {
  release: 'No order waits for its release. Plan one below.',
  make: 'Nothing is being made. Release an order first.',
  cost: 'No order has cost anything yet.',
};

/** Return the bench at which an order's page is open: the one it was opened from, else its state's. */
export function useOrderBench(): OrderBench | null {
  const number = /^\/orders\/(\d+)/.exec(useLocation().pathname)?.[1];
  const asked = useSearchParams()[0].get('bench');
  const order = useQuery({ ...orderOptions(Number(number)), enabled: number !== undefined });
  if (number === undefined) return null;
  if (asked === 'release' || asked === 'make' || asked === 'cost') return asked;
  return order.data ? benchOf(order.data.state) : null;
}

/** The queue of a bench on the left, the order on the right; it folds while a command is in hand. */
export function OrderQueue({ bench }: { bench?: OrderBench }) {
  const { number } = useParams();
  const { started, start } = useCommands();
  const [isOpen, setOpen] = useState(false);
  const [filter, setFilter] = useState('');
  const asked = useOrderBench();
  const shown = bench ?? asked ?? 'release';
  const orders = useInfiniteQuery(ordersOptions(waiting[shown].join(','), filter));
  const { fetchNextPage } = orders;
  const more = useCallback(() => void fetchNextPage(), [fetchNextPage]);
  const isFolded = started !== null && !isOpen;
  return (
    <div className="flex h-full max-md:block max-md:overflow-y-auto">
      <div className={`shrink-0 border-r border-hair-strong max-md:h-72 max-md:w-auto max-md:border-r-0 max-md:border-b ${number === undefined ? '' : 'max-md:hidden'} ${isFolded ? 'w-10 max-md:hidden' : 'w-[264px]'}`}>
        {isFolded ? (
          <button
            type="button"
            onClick={() => setOpen(true)}
            className="h-full w-full cursor-pointer text-quiet [writing-mode:vertical-rl]"
          >
            Queue: {shown}
          </button>
        ) : (
          <Loaded query={orders}>
            {({ pages }) => (
              <Queue
                title={`Orders to ${shown}`}
                filter={filter}
                onFilter={setFilter}
                onEnd={more}
                found={pages[0]?.found ?? 0}
                whole={pages[0]?.whole ?? 0}
                current={number}
                empty={empty[shown]}
                rows={pages.flatMap((p) => p.rows).map((o) => ({
                  key: String(o.number),
                  to: `/orders/${o.number}?bench=${shown}`,
                  words: `${o.number} ${o.item} ${o.name} ${o.state}`,
                  body: <QueueEntry order={o} bench={shown} />,
                }))}
                foot={
                  shown === 'release' ? (
                    <span className="flex flex-wrap gap-x-4 gap-y-1">
                      <Button look="link" onClick={() => start('plan-order')}>
                        Plan an order…
                      </Button>
                      <Button look="link" onClick={() => start('plan-tree')}>
                        Plan with components…
                      </Button>
                      <Button look="link" onClick={() => start('plan-orders')}>
                        Plan a table…
                      </Button>
                      <Link className="quiet-link text-act" to="/release">
                        Ready to release
                      </Link>
                      <Link className="quiet-link text-act" to="/release/lists">
                        Lists and load
                      </Link>
                      <Link className="quiet-link text-act" to="/release/picks">
                        Pick lists
                      </Link>
                      <Link className="quiet-link text-act" to="/release/stock">
                        Stock
                      </Link>
                      <Link className="quiet-link text-act" to="/release/transfers">
                        Transfers
                      </Link>
                      <Link className="quiet-link text-act" to="/release/counts">
                        Counts
                      </Link>
                    </span>
                  ) : shown === 'make' ? (
                    <span className="flex flex-wrap gap-x-4 gap-y-1">
                      <Link className="quiet-link text-act" to="/make/shift">
                        Shift entry
                      </Link>
                      <Link className="quiet-link text-act" to="/orders/table">
                        All orders, the wide table <kbd>O</kbd>
                      </Link>
                    </span>
                  ) : shown === 'cost' ? (
                    <Link className="quiet-link text-act" to="/cost/standards">
                      Standards
                    </Link>
                  ) : undefined
                }
              />
            )}
          </Loaded>
        )}
      </div>
      <main className="min-w-0 flex-1 overflow-y-auto max-md:overflow-visible">
        <Outlet />
      </main>
    </div>
  );
}

function QueueEntry({ order: o, bench }: { order: OrderRow; bench: OrderBench }) {
  return (
    <>
      <span className="flex justify-between gap-2">
        <span className="truncate">
          <span className="code mr-1.5">{o.number}</span>
          {o.name}
        </span>
        <span className="whitespace-nowrap text-quiet">
          {quantity(o.quantity)} {o.unit}
        </span>
      </span>
      <span className="flex justify-between gap-2 text-[12px] text-quiet">
        <span className={`truncate ${o.fault && 'text-attention'}`} title={o.fault}>{o.fault || (bench === 'make' && o.next ? o.next : o.state)}{beside(o)}</span>
        <span className={`whitespace-nowrap ${o.days_late ? 'text-attention' : ''}`}>
          {o.days_late ? `${o.days_late} d late` : day(o.due)}
        </span>
      </span>
    </>
  );
}
