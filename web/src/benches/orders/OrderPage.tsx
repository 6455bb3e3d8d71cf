import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { commandsOptions, orderOptions, type Order } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { day, moment } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { ChainLink } from '../../stock/ChainLink';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { selectCostliest } from './logic';
import { Happened, Material, MoneyBlock, OperationStrip, Wanted } from './OrderParts';
import { PlannedNeeds } from './PlannedNeeds';
import { OrderDocuments } from './OrderDocuments';
import { OutsideWork } from './OutsideWork';
import { LostBeyond, NewerRevision } from './ThisOrderOnly';
import { TrancheBlock } from './TrancheBlock';

interface Act {
  command: string;
  words: string;
  shortcut: string;
  isMain: boolean;
}

/** Return what the server says can be done to an order, the likeliest marked. */
function actsOf(order: Order): Act[] {
  const act = (command: string, words: string, shortcut: string, isMain = false): Act => ({ command, words, shortcut, isMain });
  const done = order.is_all_received;
  const offered: Record<Order['acts'][number], Act[]> = {
    release: [act('release-order', 'Release', 'Alt-R', true), act('release-part', 'Release a part', '')],
    change: [act('change-order', 'Change', '')],
    'make firm': [act('make-firm', 'Make firm', '')],
    'leave to planning': [act('leave-to-planning', 'Leave to planning', '')],
    're-derive': [act('rederive-order', 'Re-derive', '')],
    'take back the release of': [act('withdraw-release', 'Take back the release', '')],
    'post to': [
      act('report', 'Report', 'Alt-R', !done),
      act('issue-material', 'Issue', 'Alt-I'),
      act('receive', 'Receive', 'Alt-V'),
      act('return-material', 'Return', ''),
      act('charge-extra', 'Extra cost', ''),
    ],
    complete: [act('complete-order', 'Complete', 'Alt-C', done)],
    'finish short': done ? [] : [act('finish-short', 'Finish short', '')],
    hold: [act('hold-order', 'Hold', '')],
    resume: [act('resume-order', 'Resume', 'Alt-R', true)],
    unwind: [act('unwind', 'Unwind', '')],
    close: [act('close-order', 'Close', 'Alt-C', true)],
    cancel: [act('cancel-order', 'Cancel', '')],
    split: [act('split-order', 'Split', '')],
    'change the making of': [], // where its parts stand
  };
  const acts = [...order.acts.flatMap((a) => offered[a]), act('copy-order', 'Copy', '')];
  return acts.toSorted((a, b) => Number(b.isMain) - Number(a.isMain));
}

/** One order, one address: what it makes, what stops it, what it used, what it cost. */
export function OrderPage() {
  const number = Number(useParams()['number']);
  const order = useQuery(orderOptions(number));
  return <Loaded query={order}>{(o) => <Page order={o} />}</Loaded>;
}

function Page({ order }: { order: Order }) {
  const { start, started } = useCommands();
  const allowed = useQuery(commandsOptions());
  const may = new Set(allowed.data?.map((c) => c.name));
  const acts = actsOf(order).filter((a) => may.has(a.command));
  useOrderKeys(order, acts);
  const isWaiting = order.state === 'planned' || order.state === 'firm';
  const forWhom = [order.customer, order.customer_order, order.customer_line && `line ${order.customer_line}`, order.wanted_on && `wanted ${day(order.wanted_on)}`, order.lot && `from lot ${order.lot}`]
    .filter(Boolean)
    .join(' ');
  return (
    <article className="md:min-w-[560px]">
      <header className="px-4 pt-3 pb-2">
        <div className="flex flex-wrap items-start justify-between gap-x-4 gap-y-1">
          <h1>
            <span className="code text-[17px]">{order.number}</span> {order.name}{' '}
            <Link className="code quiet-link text-[15px] font-normal" to={`/define/items/${encodeURIComponent(order.item)}`}>
              {order.item}
            </Link>
          </h1>
          <div className="flex flex-wrap gap-1.5">
            {acts.map((a) => (
              <Button
                key={a.command}
                look={a.isMain ? 'act' : 'plain'}
                {...(a.shortcut ? { shortcut: a.shortcut } : {})}
                onClick={() => start(a.command, a.command === 'unwind' ? { orders: String(order.number) } : { order: order.number })}
              >
                {a.words}
              </Button>
            ))}
          </div>
        </div>
        <p>
          {quantity(order.quantity)} {order.unit} · {order.state}
          {order.revision && ` · rev ${order.revision}`} · due {day(order.due)}
          {order.days_late > 0 && (
            <strong className="text-attention"> · {order.days_late === 1 ? '1 day' : `${order.days_late} days`} late</strong>
          )}
          {order.finishes && order.finishes !== order.due && `: finishes ${day(order.finishes)}`}
          {order.starts && isWaiting && ` · starts ${day(order.starts)}`}
          {forWhom && <span className="text-quiet"> · {forWhom}</span>}
          {order.note && <span className="text-quiet"> · {order.note}</span>}
        </p>
        <Ties order={order} />
        {order.on_hold && (
          <p className="mt-1 border-l-4 border-attention bg-attention-wash px-2 py-0.5">
            On hold{order.held_at && ` since ${moment(order.held_at)}`}: {order.on_hold}.
          </p>
        )}
        {order.keep_until && (
          <p className="text-quiet">
            Kept until {day(order.keep_until)}: {order.keep_words}
          </p>
        )}
        <NewerRevision order={order} />
        <LostBeyond order={order} />
        {order.stops.map((s) => (
          <p key={s.why} className="mt-1 border-l-4 border-attention bg-attention-wash px-2 py-0.5">
            {s.why} <WayOut place={s.place} words={s.fix} may={may} />
          </p>
        ))}
      </header>
      <OperationStrip order={order} />
      <div className={started ? 'space-y-3' : 'grid grid-cols-[2fr_1fr] grid-rows-[auto_1fr] gap-y-3 max-md:block'}>
        <div className={started ? '' : 'border-r border-hair'}>
          <OutsideWork order={order} />
          {isWaiting ? <PlannedNeeds order={order} /> : <Material order={order} />}
          {(order.state === 'released' || order.state === 'started') && <TrancheBlock order={order} />}
        </div>
        <div className={started ? '' : 'row-span-2 space-y-3'}>
          <MoneyBlock order={order} />
          <Wanted order={order} />
          <OrderDocuments order={order} />
        </div>
        <div className={started ? '' : 'border-r border-hair'}>
          <Happened order={order} />
        </div>
      </div>
    </article>
  );
}

/** What an order is made for, the tree that it belongs to, and its papers. */
function Ties({ order }: { order: Order }) {
  return (
    <p className="flex flex-wrap gap-x-4">
      {(order.split_from !== null || order.split_off.length > 0) && (
        <span>
          {order.split_from !== null && (
            <>
              <span className="text-quiet">split from </span>
              <Link className="code quiet-link mr-2" to={`/orders/${order.split_from}`}>
                {order.split_from}
              </Link>
            </>
          )}
          {order.split_off.length > 0 && <span className="text-quiet">split off it </span>}
          {order.split_off.map((n) => (
            <Link key={n} className="code quiet-link mr-2" to={`/orders/${n}`}>
              {n}
            </Link>
          ))}
        </span>
      )}
      {order.made_for !== null && (
        <span>
          made for{' '}
          <Link className="code quiet-link" to={`/orders/${order.made_for}`}>
            {order.made_for}
          </Link>{' '}
          <span className="text-quiet">operation {order.made_for_operation}</span>
        </span>
      )}
      {order.made_within.length > 0 && <span className="text-quiet">made within it: {order.made_within.join(', ')}</span>}
      {order.is_in_tree && (
        <Link className="quiet-link text-act" to={`/orders/${order.number}/tree`}>
          Tree of orders
        </Link>
      )}
      {order.state !== 'closed' && order.state !== 'cancelled' && <ChainLink item={order.item} way="up" source="production order" number={order.number} />}
      <Link className="quiet-link text-act" to={`/orders/${order.number}/timeline`}>
        What happened
      </Link>
      <a className="quiet-link text-act" href={`/api/papers/traveller.pdf?code=${order.number}`} target="_blank" rel="noreferrer">
        Traveller
      </a>
    </p>
  );
}

function useOrderKeys(order: Order, acts: Act[]) {
  const navigate = useNavigate();
  const { start } = useCommands();
  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (!event.altKey || event.ctrlKey || event.metaKey) return;
      const key = event.code.replace('Key', '');
      const act = acts.find((a) => a.shortcut === `Alt-${key}`);
      const costliest = selectCostliest(order);
      if (act) start(act.command, { order: order.number });
      else if (key === 'B' && order.standard) void navigate(`/orders/${order.number}/bridge`);
      else if (key === 'X' && costliest) void navigate(`/define/items/${encodeURIComponent(costliest)}`);
      else return;
      event.preventDefault();
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  });
}

/** What the way out of a block starts, by the kind of place that it leads to. */
const outs: Record<string, ((code: string) => [command: string, given: Record<string, unknown>]) | undefined> = {
  standard: () => ['freeze-standard', {}],
  receive: (code) => ['receive-material', { item: code }],
  plan: (code) => ['plan-order', { item: code }],
  item: (code) => ['change-item', { code, is_active: true }],
};

/** The button or link that leads out of a block; words alone for who may not. */
function WayOut({ place, words, may }: { place: string; words: string; may: Set<string> }) {
  const { start } = useCommands();
  const [kind = '', code = ''] = place.split(':');
  const path = encodeURIComponent(code);
  const to = kind === 'structure' ? `/define/items/${path}/edit` : kind === 'order' ? `/orders/${path}` : null;
  if (to) {
    return (
      <Link className="quiet-link text-act" to={to}>
        {words}
      </Link>
    );
  }
  const [command, given] = outs[kind]?.(code) ?? ['', {}];
  if (!may.has(command)) return <>{words}</>;
  return (
    <Button look="link" onClick={() => start(command, given)}>
      {words}
    </Button>
  );
}
