import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { isZero, money, percent, plain, quantity, unitCost } from '../../lib/decimal';
import { ChainLink } from '../../stock/ChainLink';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { SellFrame } from './SellFrame';
import { type CustomerLine, type CustomerOrder, customerOrderOptions } from './queries';

/** A customer's order: its lines with what they leave over the standard, and what left for it. */
export function CustomerOrderPage() {
  const number = Number(useParams()['number']);
  const order = useQuery(customerOrderOptions(number));
  return <Loaded query={order}>{(o) => <Shown order={o} />}</Loaded>;
}

function Shown({ order: o }: { order: CustomerOrder }) {
  const { start } = useCommands();
  const may = useMay();
  const act = (command: string, name: string, look: 'act' | 'plain' = 'plain') =>
    may.has(command) && (
      <Button key={command} look={look} onClick={() => start(command, { customer_order: o.number })}>
        {name}
      </Button>
    );
  const margin = o.margin !== '' && o.share !== null && ` · margin ${o.lines.some((n) => n.own_cost) ? '' : 'at standard '}${money(o.margin)} EUR, ${percent(o.share)}`;
  return (
    <SellFrame
      title={
        <>
          {o.state === 'offer' ? 'Offer' : "Customer's order"} <span className="code text-[15px]!">{o.number}</span> {o.customer_name}
        </>
      }
      words={
        <>
          {o.state}
          {o.their_number && ` · their ${o.their_number}`}
          {o.amount !== '' && ` · ${money(o.amount)} EUR`}
          {margin}
          {o.note && ` · ${o.note}`}
          {o.state === 'accepted' && (
            <Link className="quiet-link ml-4 text-act" to={`/plan?for=${o.number}`}>
              What is proposed for it
            </Link>
          )}
        </>
      }
      acts={
        <>
          {o.state === 'offer' && act('accept-offer', 'Accept…', 'act')}
          {o.state !== 'ended' && o.lines.some((n) => n.is_made && n.orders.length === 0 && n.quantity !== n.delivered) && act('make-to-order', o.state === 'offer' ? 'Accept and make…' : 'Make to order…')}
          {o.state === 'accepted' && may.has('deliver-ordered') && (
            <Button look="act" onClick={() => start('deliver-ordered', { customer_order: o.number, lines: readyLines(o) })}>
              Deliver…
            </Button>
          )}
          {o.state !== 'ended' && act('add-customer-lines', 'Add lines…')}
          {o.state !== 'ended' && act('end-customer-order', 'End…')}
          {o.state === 'ended' && act('reopen-customer-order', 'Reopen…')}
        </>
      }
    >
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Lines">
          <thead>
            <tr>
              <th className="pl-4!">Line</th>
              <th>item</th>
              <th className="num">wanted</th>
              <th className="num">left</th>
              <th className="num">open</th>
              <th>wanted on</th>
              <th>promised</th>
              <th className="num">EUR each</th>
              <th className="num">EUR</th>
              <th className="num">margin</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {o.lines.map((n) => (
              <LineRow key={n.line} order={o.number} line={n} canChange={o.state !== 'ended' && may.has('change-customer-line')} />
            ))}
          </tbody>
        </table>
      </div>
      <Delivered order={o} />
    </SellFrame>
  );
}

/** What can leave now of an order of which not all can; no line where all can, or nothing. */
function readyLines(o: CustomerOrder): { line: string; quantity: string }[] {
  const ready = o.lines.filter((n) => !isZero(n.ready));
  const isAll = o.lines.every((n) => n.ready === n.open);
  return isAll ? [] : ready.map((n) => ({ line: String(n.line), quantity: plain(n.ready) }));
}

function LineRow({ order, line: n, canChange }: { order: number; line: CustomerLine; canChange: boolean }) {
  const { start } = useCommands();
  return (
    <tr>
      <td className="pl-4!">{n.line}</td>
      <td className="w-full">
        {n.name}{' '}
        <Link className="code quiet-link" data-peek={n.item} to={`/plan/items/${encodeURIComponent(n.item)}`}>
          {n.item}
        </Link>{' '}
        {!isZero(n.open) && <ChainLink item={n.item} way="down" source="customer order" number={order} line={n.line} />}
        {n.orders.map((made) => (
          <Link key={made} className="code quiet-link mr-2 text-[12px]" to={`/orders/${made}`} title="made by this order">
            {made}
          </Link>
        ))}
        {!n.is_planned && <span className="text-quiet"> not planned</span>}
        {n.priority !== 5 && <span className="text-quiet"> priority {n.priority}</span>}
        {n.is_made && <OwnStructure order={order} line={n} canChange={canChange} />}
      </td>
      <td className="num">
        {quantity(n.quantity)}
        <span className="unit">{n.unit}</span>
      </td>
      <td className="num">{isZero(n.delivered) ? '–' : quantity(n.delivered)}</td>
      <td className="num whitespace-nowrap">
        {isZero(n.open) ? '–' : quantity(n.open)}
        {!isZero(n.ready) && <span className="block text-[12px] text-act">{n.ready === n.open ? 'ready' : `${quantity(n.ready)} ready`}</span>}
      </td>
      <td className="whitespace-nowrap">{day(n.wanted_on)}</td>
      <td className="whitespace-nowrap">{n.promised_on ? <span className={n.promised_on > n.wanted_on ? 'text-attention' : ''}>{day(n.promised_on)}</span> : '–'}</td>
      <td className="num">{n.price ? unitCost(n.price) : <span className="text-quiet">none</span>}</td>
      <td className="num">{n.amount && money(n.amount)}</td>
      <td className="num whitespace-nowrap">
        {n.margin && money(n.margin)}
        {n.share && <span className="text-quiet"> {percent(n.share)}</span>}
      </td>
      <td className="num pr-4!">
        {canChange && (
          <Button look="link" aria-label={`Change line ${n.line}`} onClick={() => start('change-customer-line', { customer_order: order, line: n.line, is_planned: n.is_planned })}>
            Change…
          </Button>
        )}
      </td>
    </tr>
  );
}

/** The structure that a line has of its own, with what can be done with it; a way to one where no order makes the line yet. */
function OwnStructure({ order, line: n, canChange }: { order: number; line: CustomerLine; canChange: boolean }) {
  const { start } = useCommands();
  const may = useMay();
  const mayChange = canChange && n.orders.length === 0;
  const item = `/define/items/${encodeURIComponent(n.item)}`;
  const act = (command: string, name: string) =>
    mayChange &&
    may.has(command) && (
      <Button look="link" onClick={() => start(command, { customer_order: order, line: n.line })}>
        {name}
      </Button>
    );
  if (!n.structure) return <span className="block text-[12px]">{act('draft-line-structure', 'A structure of its own…')}</span>;
  const isDraft = n.structure_state === 'own draft';
  return (
    <span className="flex flex-wrap items-baseline gap-x-3 text-[12px]">
      <Link className="quiet-link" to={`${item}?rev=${n.structure}`}>
        own structure {n.structure}, {isDraft ? 'a draft' : 'approved'}
      </Link>
      {n.own_cost && (
        <span className="text-quiet">
          {unitCost(n.own_cost)} EUR{n.standard && `, standard ${unitCost(n.standard)}`}
        </span>
      )}
      {isDraft && mayChange && may.has('draft-structure') && (
        <Link className="quiet-link text-act" to={`${item}/edit?own=${n.structure}&order=${order}&line=${n.line}`}>
          Edit
        </Link>
      )}
      {isDraft ? act('approve-line-structure', 'Approve…') : act('draft-line-structure', 'Change again…')}
      {act('give-up-line-structure', 'Give up…')}
    </span>
  );
}

function Delivered({ order: o }: { order: CustomerOrder }) {
  if (o.delivered.length === 0) return <p className="px-4 py-3 text-quiet">Nothing has left for it yet.</p>;
  return (
    <section aria-label="Delivered" className="mt-4 overflow-x-auto">
      <h2 className="px-4">Delivered</h2>
      <table className="rows" aria-label="What left">
        <tbody>
          {o.delivered.map((d) => (
            <tr key={`${d.posting} ${d.line}`} className={d.is_taken_back ? 'text-quiet' : ''}>
              <td className="pl-4! whitespace-nowrap">{moment(d.at)}</td>
              <td className="w-full">
                line {d.line} <span className="code">{d.item}</span>
                {d.is_taken_back ? ' taken back' : d.days_late > 0 ? <span className="text-attention"> {d.days_late} d late</span> : <span className="text-quiet"> in time</span>}
              </td>
              <td className="num">{quantity(d.quantity)}</td>
              <td className="num pr-4! whitespace-nowrap">
                <a className="mr-3 quiet-link text-act" href={`/api/papers/delivery-note.pdf?code=${d.posting}`} target="_blank" rel="noreferrer">
                  Delivery note
                </a>
                <a className="mr-3 quiet-link text-act" href={`/api/labels/delivery.pdf?code=${d.posting}`} target="_blank" rel="noreferrer">
                  Label
                </a>
                <Link className="quiet-link" to={`/postings/${d.posting}`}>
                  posting {d.posting}
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
