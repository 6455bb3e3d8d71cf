import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, shortDay } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { orderTreeOptions, type OrderTree, type OrderTreeRow } from './queries';

/** All orders of a tree, interleaved: each with its operations, these with their material, that with who makes it. */
export function OrderTreePage() {
  const number = Number(useParams()['number']);
  const tree = useQuery(orderTreeOptions(number));
  return <Loaded query={tree}>{(t) => <Page tree={t} number={number} />}</Loaded>;
}

function Page({ tree, number }: { tree: OrderTree; number: number }) {
  const { start } = useCommands();
  const may = useMay();
  const orders = tree.rows.filter((r) => r.kind === 'order');
  const waiting = orders.filter((r) => r.state === 'planned' || r.state === 'firm').map((r) => r.order);
  const late = orders.filter((r) => r.is_late).length;
  const top = orders[0];
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
        <div>
          <h1>
            Tree of order <span className="code text-[17px]">{tree.top}</span> {top?.name}
          </h1>
          <p className="text-quiet">
            {tree.orders === 1 ? 'one order' : `${tree.orders} orders`}
            {late > 0 && <strong className="text-attention"> · {late} too late for what they are made for</strong>}
            {tree.wip && ` · ${money(tree.wip)} EUR in work`}
          </p>
        </div>
        <div className="flex flex-wrap gap-1.5">
          {may.has('release-orders') && waiting.length > 0 && (
            <Button look="act" onClick={() => start('release-orders', { orders: waiting })}>
              Release {waiting.length}…
            </Button>
          )}
          {may.has('change-order') && top && waiting.includes(top.order) && (
            <Button onClick={() => start('change-order', { order: tree.top, carry_down: true })}>Change all…</Button>
          )}
        </div>
      </header>
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Tree of orders">
          <thead>
            <tr>
              <th className="pl-4!">Order, operation, material</th>
              <th className="num">quantity</th>
              <th className="num">done</th>
              <th>starts</th>
              <th>finishes</th>
              <th>needed</th>
              <th className="num">hours left</th>
              {tree.wip && (
                <>
                  <th className="num">charged EUR</th>
                  <th className="num">in work</th>
                  <th className="pr-4!">basis</th>
                </>
              )}
            </tr>
          </thead>
          <tbody>
            {tree.rows.map((r, n) => (
              <Row key={n} row={r} isOpen={r.kind === 'order' && r.order === number} seesCosts={tree.wip !== ''} />
            ))}
          </tbody>
        </table>
      </div>
      {tree.whole > tree.rows.length && <p className="px-4 py-1 text-quiet">the first {tree.rows.length} of {tree.whole.toLocaleString()} rows</p>}
    </article>
  );
}

function Row({ row: r, isOpen, seesCosts }: { row: OrderTreeRow; isOpen: boolean; seesCosts: boolean }) {
  const isOrder = r.kind === 'order';
  return (
    <tr className={isOpen ? 'bg-act-wash' : ''}>
      <td className="w-full pl-4! whitespace-nowrap">
        <span style={{ paddingLeft: r.depth * 16 }} className={isOrder ? 'font-semibold' : ''}>
          {isOrder && (
            <>
              <Link className="code quiet-link" to={`/orders/${r.order}`}>
                {r.order}
              </Link>{' '}
              {r.name} <span className="code font-normal">{r.code}</span> <span className="font-normal text-quiet">{r.state}</span>
            </>
          )}
          {r.kind === 'operation' && (
            <>
              {r.operation} {r.name} <span className="code text-quiet">{r.code}</span>
            </>
          )}
          {r.kind === 'component' && (
            <>
              {r.name}{' '}
              <Link className="code quiet-link" data-peek={r.code} to={`/release/stock/${encodeURIComponent(r.code)}`}>
                {r.code}
              </Link>
              {r.short && <span className="ml-2 text-[12px] text-attention">{quantity(r.short)} short</span>}
            </>
          )}
          {r.supplier && <span className="ml-2 text-[12px] text-quiet">at {r.supplier}</span>}
          {r.out && !isZero(r.out) && <span className="ml-1 text-[12px] text-attention">{quantity(r.out)} out</span>}
        </span>
      </td>
      <td className="num">
        {r.quantity && quantity(r.quantity)}
        {r.quantity && <span className="unit">{r.unit}</span>}
      </td>
      <td className="num">{r.done && !isZero(r.done) ? quantity(r.done) : ''}</td>
      <td className="whitespace-nowrap">{r.starts && shortDay(r.starts)}</td>
      <td className={`whitespace-nowrap ${r.is_late ? 'text-attention' : ''}`}>{r.finishes && shortDay(r.finishes)}</td>
      <td className={`whitespace-nowrap ${r.is_late ? 'font-semibold text-attention' : ''}`}>{r.wanted && `by ${day(r.wanted)}`}</td>
      <td className="num">{r.hours && !isZero(r.hours) ? quantity(r.hours) : ''}</td>
      {seesCosts && (
        <>
          <td className="num">{isOrder && r.charged && !isZero(r.charged) ? money(r.charged) : ''}</td>
          <td className="num">{isOrder && r.wip && !isZero(r.wip) ? money(r.wip) : ''}</td>
          <td className="pr-4! text-quiet">{r.basis}</td>
        </>
      )}
    </tr>
  );
}
