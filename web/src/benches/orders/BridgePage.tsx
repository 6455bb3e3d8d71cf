import { useQuery } from '@tanstack/react-query';
import { Fragment, useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { orderOptions, type Order } from '../../api/queries';
import { type Bridge, bridgeOptions, type Cause } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { DerivationLink } from '../../derivation/DerivationLink';
import { isZero, money, quantity } from '../../lib/decimal';
import { Corrections, FollowUps, LifeChart } from './CostOverTime';
import { Button } from '../../ui/Button';
import { Money, VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { addsUp, type BridgeRow, layOutBridge } from './logic';
import { useMay } from '../../commands/useMay';

/** From allowed to actual, one step for each cause; the chart's rows are the table. */
export function BridgePage() {
  const number = Number(useParams()['number']);
  const navigate = useNavigate();
  const order = useQuery(orderOptions(number));
  const bridge = useQuery(bridgeOptions(number));
  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (event.altKey && event.code === 'KeyB') {
        event.preventDefault();
        void navigate(`/orders/${number}`);
      }
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  }, [navigate, number]);
  return (
    <Loaded query={order}>
      {(o) => <Loaded query={bridge}>{(b) => <Page order={o} bridge={b} />}</Loaded>}
    </Loaded>
  );
}

function Page({ order, bridge }: { order: Order; bridge: Bridge }) {
  const { start } = useCommands();
  const may = useMay();
  return (
    <article className="md:min-w-[560px]">
      <header className="flex flex-wrap items-start justify-between gap-2 px-4 pt-3 pb-2">
        <div>
          <h1>
            Cost bridge of{' '}
            <Link className="quiet-link" to={`/orders/${order.number}`} aria-keyshortcuts="Alt+B">
              <span className="code text-[17px]">{order.number}</span> {order.name}
            </Link>{' '}
            <kbd>Alt-B</kbd>
          </h1>
          <p className="text-quiet">
            {quantity(order.received)} of {quantity(order.quantity)} {order.unit} received · {order.state}
            {order.state === 'completed' && ', not closed'} · EUR
          </p>
        </div>
        {order.state === 'completed' && may.has('close-order') && (
          <Button look="act" onClick={() => start('close-order', { order: order.number })}>
            Close order {order.number}…
          </Button>
        )}
      </header>
      {isZero(bridge.charged) ? (
        <Empty>Nothing was charged to this order yet. Each issue and each report adds to the bridge.</Empty>
      ) : (
        <Chart order={order} bridge={bridge} />
      )}
      <LifeChart number={order.number} />
      <Corrections number={order.number} />
      <FollowUps number={order.number} />
    </article>
  );
}

function Chart({ order, bridge }: { order: Order; bridge: Bridge }) {
  const [open, setOpen] = useState<Set<string>>(new Set());
  const scale = layOutBridge(bridge);
  const toggle = (kind: string) =>
    setOpen((was) => {
      const next = new Set(was);
      if (!next.delete(kind)) next.add(kind);
      return next;
    });
  return (
    <table className="rows" aria-label="Cost bridge">
      <thead>
        <tr>
          <th className="pl-4!">Cause</th>
          <th className="w-[46%]">
            <span className="flex justify-between">
              <span>
                {scale.isCut && <span title="the axis is cut: it does not begin at 0">⌇ </span>}
                {money(scale.low.toFixed(2))}
              </span>
              <span>{money(scale.high.toFixed(2))}</span>
            </span>
          </th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        {scale.rows.map((row) => {
          const cause = bridge.causes.find((c) => row.kind === 'cause' && c.kind === row.words);
          return (
            <Fragment key={row.words}>
              <tr>
                <td className="pl-4! whitespace-nowrap">
                  {cause && cause.kind !== 'rounding' ? (
                    <button
                      type="button"
                      aria-expanded={open.has(cause.kind)}
                      className="cursor-pointer first-letter:uppercase"
                      onClick={() => toggle(cause.kind)}
                    >
                      <span aria-hidden className="inline-block w-4 text-quiet">
                        {open.has(cause.kind) ? '▾' : '▸'}
                      </span>
                      {row.words[0]?.toUpperCase()}
                      {row.words.slice(1)}
                    </button>
                  ) : (
                    <span className={`pl-4 ${row.kind === 'total' ? 'font-semibold' : ''}`}>
                      {row.words[0]?.toUpperCase()}
                      {row.words.slice(1)}
                    </span>
                  )}
                </td>
                <td>
                  <Bar row={row} isCut={scale.isCut} />
                </td>
                <td className={`num pr-4! ${row.kind === 'total' ? 'font-semibold' : ''}`}>
                  {row.kind === 'total' ? (
                    <span className="mr-3.5">
                      <Money value={row.amount} />
                    </span>
                  ) : (
                    <VarianceText value={row.amount} />
                  )}
                </td>
              </tr>
              {cause && open.has(cause.kind) && <Details order={order} bridge={bridge} cause={cause} />}
            </Fragment>
          );
        })}
      </tbody>
      <tfoot>
        <tr>
          <td className="pl-4! font-semibold">
            <span className="pl-4">Variance to date</span>
          </td>
          <td className="text-quiet">
            charged {money(bridge.charged)} ({bridge.basis}) − allowed {money(bridge.allowed)}
            {addsUp(bridge) && ' = the steps ✓'}
            {order.state === 'completed' && bridge.variance === bridge.wip && ' = WIP ✓'}
          </td>
          <td className="num pr-4! font-semibold">
            <VarianceText value={bridge.variance} />
          </td>
        </tr>
        {bridge.forecast !== null && (
          <tr>
            <td className="pl-4! font-semibold">
              <span className="pl-4">Forecast at completion</span>
            </td>
            <td className="text-quiet">charged so far, and what is left at the order's own pace and standard prices</td>
            <td className="num pr-4! font-semibold">
              <span className="mr-3.5">{money(bridge.forecast)}</span>
            </td>
          </tr>
        )}
      </tfoot>
    </table>
  );
}

function Bar({ row, isCut }: { row: BridgeRow; isCut: boolean }) {
  const side = row.kind === 'total' ? '' : Number(row.amount) > 0 ? 'U' : 'F';
  const fill = side === 'U' ? 'bg-unfavourable' : side === 'F' ? 'bg-favourable' : 'bg-quiet';
  return (
    <span aria-hidden className="relative block h-4">
      {!isZero(row.amount) && (
        <span
          className={`absolute h-full ${fill}`}
          style={{ left: `${row.from}%`, width: `${Math.max(0.25, row.to - row.from)}%` }}
        />
      )}
      {isCut && row.kind === 'total' && <span className="absolute left-2 -top-0.5 text-ground">⌇</span>}
    </span>
  );
}

function Details({ order, bridge, cause }: { order: Order; bridge: Bridge; cause: Cause }) {
  const nameOf = (code: string) => order.inputs.find((i) => i.code === code)?.name ?? code;
  return (
    <>
      {cause.details.map((d, n) => (
        <tr key={n} className="bg-sheet">
          <td colSpan={2} className="pl-12!">
            <span className="mr-2 text-quiet">op {d.operation}</span>
            {nameOf(d.code)} <span className="code text-quiet">{d.code}</span>
            {d.input !== 'component' && <span className="ml-1.5 text-quiet">{d.input}</span>}
          </td>
          <td className="num pr-4!">
            <DerivationLink rows={d.derivation} title={`${cause.kind}: ${d.code} at operation ${d.operation}`}>
              <VarianceText value={d.amount} />
            </DerivationLink>
          </td>
        </tr>
      ))}
      {cause.kind === 'yield' &&
        bridge.yield_by_reason.map((y) => (
          <tr key={y.operation + y.reason} className="bg-sheet">
            <td colSpan={2} className="pl-12!">
              <span className="mr-2 text-quiet">of it, by reason: op {y.operation}</span>
              {y.reason}
            </td>
            <td className="num pr-4! text-quiet">
              <VarianceText value={y.amount} />
            </td>
          </tr>
        ))}
    </>
  );
}
