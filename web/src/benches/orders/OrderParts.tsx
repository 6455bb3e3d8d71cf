import type { Order } from '../../api/queries';
import { Link } from 'react-router';
import { needOptions, type OrderInput } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { FetchedDerivation } from '../../derivation/DerivationLink';
import { day, moment, span } from '../../lib/date';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money, Quantity, VarianceText } from '../../ui/Numbers';
import { afterWords } from '../../structure/TreeCells';
import { selectCostliest } from './logic';
import { ComponentMenu, OperationMenu, Otherwise, WorkedAt } from './ThisOrderOnly';

/** The operations as a strip: what each has done, in working order. */
export function OperationStrip({ order }: { order: Order }) {
  if (order.operations.length === 0) return null;
  return (
    <ol aria-label="Operations" className="flex flex-wrap items-stretch gap-y-1 border-y border-hair px-4 py-1.5">
      {order.operations.map((o) => {
        const isDone = isZero(o.due) && !isZero(o.good);
        return (
          <li key={o.number} className="flex items-center">
            <span className={isDone ? 'text-quiet' : ''}>
              <strong>
                {o.number} {o.name}
              </strong>{' '}
              {o.supplier ? <span className="text-quiet">at {o.supplier}</span> : <span className="code text-quiet">{o.work_center}</span>}{' '}
              {isZero(o.good) && isZero(o.scrap) && isZero(o.rework) ? 'not begun' : `${quantity(o.good)} good`}
              {!isZero(o.scrap) && `, ${quantity(o.scrap)} scrap`}
              {!isZero(o.rework) && `, ${quantity(o.rework)} set aside for rework${o.rework_planned && `: ${o.rework_planned}`}`}
              {!isZero(o.out) && <span className="text-attention">, {quantity(o.out)} out</span>}
              {!isZero(o.due) && <span className="text-quiet">, {quantity(o.due)} due</span>}
              {isDone && ' ✓'}
              <WorkedAt operation={o} />
              {o.after && <span className="text-quiet"> · {afterWords(o.after)}</span>}
              {!isDone && o.starts && o.ends && (
                <span className="text-[12px] text-quiet" title="when what is left of it runs">
                  {' '}
                  · {span(o.starts, o.ends)}
                </span>
              )}
            </span>
            <span aria-hidden className="mx-3 text-hair-strong">
              ──▸
            </span>
          </li>
        );
      })}
      <li>
        received {quantity(order.received)} of {quantity(order.quantity)}
        {order.grades.map((g) => (
          <span key={g.item} className="ml-2 text-quiet">
            <Link className="code quiet-link" to={`/define/items/${encodeURIComponent(g.item)}`}>
              {g.item}
            </Link>{' '}
            {quantity(g.received)}
          </span>
        ))}
      </li>
    </ol>
  );
}

const isOutput = (i: OrderInput) => i.kind === 'by-product' || i.kind === 'co-product';

const limits = (lower: string | null | undefined, upper: string | null | undefined) =>
  lower && upper ? `${plain(lower)} to ${plain(upper)}` : lower ? `at least ${plain(lower)}` : `at most ${plain(upper ?? '')}`;

/** What to do and to look out for at an operation, in a line. */
function stepsOf(order: Order, number: number): string {
  const steps = order.operations.find((o) => o.number === number)?.steps ?? [];
  return steps
    .map((s) => {
      if (s.kind === 'measurement') return `${s.text} ${limits(s.lower, s.upper)} ${s.unit ?? ''}`;
      return s.lots.length ? `${s.text} ${s.lots.join(', ')}` : s.text;
    })
    .join(' · ');
}

/** What the order uses, operation by operation. */
export function Material({ order }: { order: Order }) {
  const lines = order.inputs.filter((i) => i.kind === 'component' || isOutput(i));
  const times = order.inputs.filter((i) => !lines.includes(i) && !i.is_worked_elsewhere);
  if (order.inputs.length === 0) return <p className="px-4 py-3 text-quiet">It was cancelled before it was released.</p>;
  const numbers = [...new Set(order.inputs.map((i) => i.operation))].toSorted((a, b) => a - b);
  const seesCosts = order.charged !== '';
  const costliest = seesCosts && selectCostliest(order);
  return (
    <table className="rows" aria-label="Material and time">
      <thead>
        <tr>
          <th className="pl-4!">Material and time</th>
          <th className="num">need</th>
          <th className="num">used</th>
          <th className="num">still</th>
          <th className="num">on hand</th>
          {seesCosts && <th className="num">EUR</th>}
        </tr>
      </thead>
      {numbers.map((number) => (
        <tbody key={number}>
          <tr>
            <td colSpan={6} className="border-t border-t-hair-strong pl-4! font-semibold">
              {number} {order.operations.find((o) => o.number === number)?.name ?? 'only in the standard'}{' '}
              <span className="text-[12px] font-normal text-quiet">
                {stepsOf(order, number)}
              </span>{' '}
              <OperationMenu order={order} number={number} />
            </td>
          </tr>
          {lines
            .filter((i) => i.operation === number)
            .map((i) => (
              <tr key={i.kind + i.code}>
                <td className="w-full pl-4! md:max-w-0">
                  <span className="flex min-h-[28px] items-stretch">
                    <span aria-hidden className="mr-3 ml-1.5 border-l border-hair-strong" />
                    <span className="self-center truncate">
                      {isOutput(i) && <span title={i.kind}>← </span>}
                      {i.name}{' '}
                      <Link className="code quiet-link" to={`/define/items/${encodeURIComponent(i.code)}`}>
                        {i.code}
                      </Link>
                      <MadeBy orders={i.made_by} />
                      {i.instead_of.length > 0 && (
                        <span className="ml-1.5 text-[12px] text-quiet">in place of {i.instead_of.join(', ')}</span>
                      )}
                      {i.code === costliest && (
                        <span className="ml-1.5 text-[12px] text-quiet">
                          costliest <kbd>Alt-X</kbd>
                        </span>
                      )}
                      <Otherwise order={order} input={i} />
                      {i.issue_rule !== '' && i.issue_rule !== 'by hand' && (
                        <span className="ml-1.5 text-[12px] text-quiet">{i.issue_rule}</span>
                      )}
                      <Outlook input={i} />
                    </span>
                    <span className="ml-auto self-center">
                      <ComponentMenu order={order} input={i} />
                    </span>
                  </span>
                </td>
                <Amounts order={order.number} input={i} />
                <td className={`num ${i.is_short ? 'text-attention' : ''}`}>
                  {i.on_hand !== null && quantity(i.on_hand)}
                </td>
                {seesCosts && (
                  <td className="num">{!isZero(i.amount) && <Money value={isOutput(i) ? `-${i.amount}` : i.amount} />}</td>
                )}
              </tr>
            ))}
          {times
            .filter((i) => i.operation === number)
            .map((i) => (
              <tr key={`${i.kind}${i.code}${i.is_rework}`}>
                <td className="pl-4!">
                  <span className="flex h-[28px] items-center whitespace-nowrap">
                    <span aria-hidden className="mr-3 ml-1.5 h-full border-l border-hair-strong" />
                    {['subcontract', 'extra cost'].includes(i.kind) || i.kind.endsWith('overhead') ? `${i.kind} ${i.code}` : i.kind}
                    {i.is_rework && <span className="ml-1.5 text-[12px] text-quiet">rework</span>}
                    <Otherwise order={order} input={i} />
                  </span>
                </td>
                <Amounts order={order.number} input={i} />
                <td />
                {seesCosts && <td className="num">{!isZero(i.amount) && <Money value={i.amount} />}</td>}
              </tr>
            ))}
        </tbody>
      ))}
    </table>
  );
}

/** The orders that make a component for this one. */
export function MadeBy({ orders }: { orders: readonly number[] }) {
  if (orders.length === 0) return null;
  return (
    <span className="ml-1.5 text-[12px] text-quiet">
      made by{' '}
      {orders.map((n) => (
        <Link key={n} className="code quiet-link mr-1" to={`/orders/${n}`}>
          {n}
        </Link>
      ))}
    </span>
  );
}

/** What there is of a component that is still wanted, in a line below it. */
function Outlook({ input: i }: { input: OrderInput }) {
  if (i.free === null) return null;
  const parts = [
    i.kept && !isZero(i.kept) ? `${quantity(i.kept)} kept for it` : '',
    `${quantity(i.free)} free`,
    i.expected && i.comes ? `${quantity(i.expected)} come ${day(i.comes)}` : '',
    i.wanted && !isZero(i.wanted) ? `${quantity(i.wanted)} wanted by others` : '',
  ];
  return <span className="block text-[12px]/[16px] text-quiet">{parts.filter(Boolean).join(' · ')}</span>;
}

function Amounts({ order, input: i }: { order: number; input: OrderInput }) {
  return (
    <>
      <td className="num">
        <FetchedDerivation options={needOptions(order, i.row)} title={`Need of ${i.code}`}>
          {quantity(i.need)}
        </FetchedDerivation>
        <span className="unit inline-block w-6 text-left">{i.unit}</span>
      </td>
      <td className="num">{isZero(i.used) ? '–' : quantity(i.used)}</td>
      <td className="num">{i.kind === 'component' && quantity(i.still)}</td>
    </>
  );
}

/** What the order was allowed and charged so far, with the way to the bridge. */
export function MoneyBlock({ order }: { order: Order }) {
  if (!order.standard) return null; // planned, or not for the reader
  return (
    <section aria-label="Money">
      <table className="rows">
        <thead>
          <tr>
            <th className="pl-4!">So far</th>
            <th className="num pr-4!">EUR</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td className="pl-4!">Allowed for what was done</td>
            <td className="num pr-4!">
              <Money value={order.allowed} />
            </td>
          </tr>
          <tr>
            <td className="pl-4!">
              Charged <span className="text-quiet">{order.basis}</span>
            </td>
            <td className="num pr-4!">
              <Money value={order.charged} />
            </td>
          </tr>
          <tr>
            <td className="pl-4! font-semibold">Variance</td>
            <td className="num pr-4! font-semibold">
              <VarianceText value={order.variance} />
            </td>
          </tr>
          <tr>
            <td className="pl-4!" colSpan={2}>
              <Link className="quiet-link text-act" to={`/orders/${order.number}/bridge`} aria-keyshortcuts="Alt+B">
                Why: the cost bridge
              </Link>{' '}
              <kbd>Alt-B</kbd>
              <Link className="quiet-link ml-4 text-act" to={`/orders/${order.number}/as-built`}>
                As built
              </Link>
              <Link className="quiet-link ml-4 text-act" to={`/define/items/${encodeURIComponent(order.item)}/history`}>
                History
              </Link>
            </td>
          </tr>
        </tbody>
        <thead>
          <tr>
            <th className="pl-4!">Held as WIP, by element</th>
            <th className="num pr-4!">EUR</th>
          </tr>
        </thead>
        <tbody>
          {order.wip_by_element.map(({ element, amount }) => (
            <tr key={element}>
              <td className="pl-4!">{element}</td>
              <td className="num pr-4!">
                <Money value={amount} />
              </td>
            </tr>
          ))}
          {order.wip_by_element.length === 0 && (
            <tr>
              <td className="pl-4! text-quiet" colSpan={2}>
                nothing
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}

/** Who waits for what the order makes. */
export function Wanted({ order }: { order: Order }) {
  return (
    <table className="rows" aria-label="Wanted by">
      <thead>
        <tr>
          <th className="pl-4!">Wanted by</th>
          <td className="num" />
          <th className="num pr-4!">due</th>
        </tr>
      </thead>
      <tbody>
        {order.wanted_by.map((w) => (
          <tr key={w.words + w.order}>
            <td className="pl-4!">
              {w.order ? (
                <Link className="quiet-link" to={`/orders/${w.order}`}>
                  <span className="code">{w.order}</span> {w.words}
                </Link>
              ) : (
                w.words
              )}
            </td>
            <td className="num">{w.quantity && <Quantity value={w.quantity} unit={order.unit} />}</td>
            <td className="num pr-4!">{day(w.due)}</td>
          </tr>
        ))}
        {order.wanted_by.length === 0 && (
          <tr>
            <td className="pl-4! text-quiet" colSpan={3}>
              nobody named; it goes to stock
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** The order's postings, newest first, each with its way back. */
export function Happened({ order }: { order: Order }) {
  const { start } = useCommands();
  const isRunning = order.acts.includes('post to');
  return (
    <table className="rows" aria-label="Happened">
      <thead>
        <tr>
          <th className="pl-4!">Happened</th>
          <th>what</th>
          <th>who</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {order.happened.map((p) => (
          <tr key={p.number} className={p.taken_back_by || p.reverses ? 'text-quiet' : ''}>
            <td className="pl-4! whitespace-nowrap">{moment(p.happened_at)}</td>
            <td className="w-full">
              <Link className="quiet-link" to={`/postings/${p.number}`}>
                {p.reverses ? `taken back: ${p.kind} ${p.reverses}` : p.kind}
              </Link>
              {p.operation && ` · op ${p.operation}`}
              {p.taken_back_by && ` · taken back by ${p.taken_back_by}`}
            </td>
            <td className="whitespace-nowrap text-quiet">{p.person}</td>
            <td className="num">
              {!p.taken_back_by && !p.reverses && (
                <span className="flex justify-end gap-3">
                  {p.kind === 'report' && isRunning && (
                    <Button look="link" aria-label={`Correct report ${p.number}`} onClick={() => start('correct-report', { posting: p.number })}>
                      correct
                    </Button>
                  )}
                  <Button look="link" aria-label={`Take back ${p.kind} ${p.number}`} onClick={() => start('take-back', { posting: p.number })}>
                    take back
                  </Button>
                </span>
              )}
            </td>
          </tr>
        ))}
        {order.happened.length === 0 && (
          <tr>
            <td className="pl-4! text-quiet" colSpan={4}>
              Nothing was posted to this order yet.
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
