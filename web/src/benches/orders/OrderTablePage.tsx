import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ReactNode, useEffect, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { ApiError } from '../../api/http';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { ProblemNote } from '../../ui/States';
import { sumsOptions, tableOptions, viewsOptions, type TableRow, type TableSums } from './queries';
import { chosenColumns, columns, type Column, sortBy, typedOf, whereOf } from './table';

const ROW = 28;
const PAUSE = 300;
/** what is shown where nobody asked for anything */
const OPEN = 'state:planned firm released started completed';
const KEPT = 'columns of the table of orders';

/** All orders in one wide table: chosen by what is typed in the heads, sorted, marked, summed, exported. */
export function OrderTablePage() {
  const [query, setQuery] = useSearchParams();
  const where = query.get('where') ?? OPEN;
  const sort = query.get('sort') ?? 'due';
  const table = useInfiniteQuery(tableOptions(where, sort));
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const first = table.data?.pages[0];
  const rows = table.data?.pages.flatMap((p) => p.rows) ?? [];
  const named = query.get('columns') ?? localStorage.getItem(KEPT);
  const shown = chosenColumns(named, first?.sums.wip !== '');
  const set = (more: Record<string, string>) => {
    const next = new URLSearchParams(query);
    for (const [name, value] of Object.entries(more)) if (value || name === 'where') next.set(name, value); else next.delete(name);
    setQuery(next, { replace: true });
  };
  const choose = (names: string[]) => {
    localStorage.setItem(KEPT, names.join(','));
    set({ columns: names.join(',') });
  };
  const mark = (number: number) => {
    const next = new Set(marked);
    if (!next.delete(number)) next.add(number);
    setMarked(next);
  };
  const problem = table.error instanceof ApiError ? table.error.problem : null;
  return (
    <main className="flex h-full flex-col">
      <header className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
        <h1>
          Orders{' '}
          <span role="status" className="text-[14px] font-normal text-quiet">
            {first && (first.sums.orders === first.whole ? first.whole.toLocaleString() : `${first.sums.orders.toLocaleString()} of ${first.whole.toLocaleString()}`)}
          </span>
          {(where === OPEN || where === '') && (
            <Button look="link" className="ml-3 text-[14px] font-normal" onClick={() => set({ where: where === OPEN ? '' : OPEN })}>
              {where === OPEN ? 'Show those that ended too' : 'Open ones only'}
            </Button>
          )}
        </h1>
        <Views />
        <Tools named={shown.map((c) => c.name)} onColumns={choose} where={where} sort={sort} />
      </header>
      {problem && (
        <div className="px-4 pb-2">
          <ProblemNote problem={problem} act={<Button onClick={() => set({ where: '' })}>Show all orders</Button>} />
        </div>
      )}
      <Grid columns={shown} rows={rows} found={first?.sums.orders ?? 0} where={where} sort={sort} marked={marked} onMark={mark} onSort={(name) => set({ sort: sortBy(sort, name) })} onWhere={(text) => set({ where: text })} onEnd={() => void table.fetchNextPage()} isEmpty={first?.sums.orders === 0} />
      <Foot sums={first?.sums} marked={[...marked]} onNone={() => setMarked(new Set())} />
    </main>
  );
}

function Grid({
  columns: shown,
  rows,
  found,
  where,
  sort,
  marked,
  onMark,
  onSort,
  onWhere,
  onEnd,
  isEmpty,
}: {
  columns: Column[];
  rows: TableRow[];
  found: number;
  where: string;
  sort: string;
  marked: ReadonlySet<number>;
  onMark: (order: number) => void;
  onSort: (name: string) => void;
  onWhere: (where: string) => void;
  onEnd: () => void;
  isEmpty: boolean;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  // oxlint-disable-next-line react/incompatible-library -- nothing here is compiled by the React compiler
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 20 });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (rows.length > 0 && last >= rows.length - 1 && rows.length < found) onEnd();
    // oxlint-disable-next-line react/exhaustive-deps -- the act is the same whatever its identity
  }, [last, rows.length, found]);
  const template = { gridTemplateColumns: `36px ${shown.map((c) => `${c.width}px`).join(' ')}`, width: 'max-content', minWidth: '100%' };
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto border-t border-hair" role="table" aria-label="Orders" aria-rowcount={found} aria-colcount={shown.length + 1}>
      <div className="sticky top-0 z-10 bg-ground" role="rowgroup">
        <div className="grid-row head" role="row" style={template}>
          <span role="cell" />
          {shown.map((c) => (
            <span key={c.name} role="columnheader" aria-sort={sort === c.name ? 'ascending' : sort === `-${c.name}` ? 'descending' : 'none'} className={c.isNumber ? 'num' : ''}>
              <button type="button" className="cursor-pointer" onClick={() => onSort(c.name)}>
                {c.words} {sort === c.name ? '↑' : sort === `-${c.name}` ? '↓' : ''}
              </button>
            </span>
          ))}
        </div>
        <Heads columns={shown} where={where} onWhere={onWhere} template={template} />
      </div>
      {isEmpty && <p className="px-4 py-3 text-quiet">No order answers to what is typed in the heads.</p>}
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize(), width: 'max-content', minWidth: '100%' }}>
        {virtual.getVirtualItems().map((v) => {
          const r = rows[v.index];
          return (
            r && (
              <div key={r.order} role="row" aria-rowindex={v.index + 1} className={`grid-row absolute left-0 ${marked.has(r.order) ? 'bg-act-wash' : ''}`} style={{ ...template, transform: `translateY(${v.start}px)` }}>
                <span role="cell" className="pl-4!">
                  <input type="checkbox" aria-label={`Mark order ${r.order}`} checked={marked.has(r.order)} onChange={() => onMark(r.order)} />
                </span>
                {shown.map((c) => (
                  <span key={c.name} role="cell" className={c.isNumber ? 'num' : 'truncate'}>
                    {cells[c.name]?.(r)}
                  </span>
                ))}
              </div>
            )
          );
        })}
      </div>
    </div>
  );
}

/** The entries in the heads; what is typed is asked for once it has rested for a moment. */
function Heads({ columns: shown, where, onWhere, template }: { columns: Column[]; where: string; onWhere: (where: string) => void; template: React.CSSProperties }) {
  const [typed, setTyped] = useState(() => typedOf(where));
  const [known, setKnown] = useState(where);
  const asked = whereOf(typed);
  if (where !== known) {
    // a view was opened, or the address changed otherwise
    setKnown(where);
    if (where !== asked) setTyped(typedOf(where));
  }
  useEffect(() => {
    if (asked === where) return undefined;
    const timer = setTimeout(() => onWhere(asked), PAUSE);
    return () => clearTimeout(timer);
    // oxlint-disable-next-line react/exhaustive-deps -- only what is typed counts
  }, [asked, where]);
  return (
    <div className="grid-row border-b-hair-strong!" role="row" style={template}>
      <span role="cell" />
      {shown.map((c) => (
        <span key={c.name} role="cell" className="px-1!">
          <input
            className={`entry h-[22px]! text-[12px] ${c.isNumber ? 'num' : ''}`}
            aria-label={`Filter ${c.words}`}
            title={c.hint}
            value={typed[c.name] ?? ''}
            onChange={(e) => setTyped({ ...typed, [c.name]: e.target.value })}
          />
        </span>
      ))}
    </div>
  );
}

const hours = (text: string | null) => (text === null || isZero(text) ? '' : quantity(text));
const cause = (text: string) => (isZero(text) ? '' : <VarianceText value={text} />);
const amount = (text: string) => (isZero(text) ? '' : money(text));
const cells: Record<string, (r: TableRow) => ReactNode> = {
  order: (r) => (
    <Link className="code quiet-link" to={`/orders/${r.order}`}>
      {r.order}
    </Link>
  ),
  item: (r) => (
    <span className="code" data-peek={r.item}>
      {r.item}
    </span>
  ),
  name: (r) => <span title={r.name}>{r.name}</span>,
  state: (r) => r.state,
  quantity: (r) => (
    <>
      {quantity(r.quantity)}
      <span className="unit">{r.unit}</span>
    </>
  ),
  received: (r) => (isZero(r.received) ? '' : quantity(r.received)),
  due: (r) => day(r.due),
  starts: (r) => r.starts && day(r.starts),
  finishes: (r) => r.finishes && day(r.finishes),
  late: (r) => (r.late > 0 ? <span className="text-attention">{r.late} d</span> : ''),
  at: (r) => <span title={r.at}>{r.at}</span>,
  customer: (r) => r.customer,
  wanted: (r) => r.wanted,
  note: (r) => <span title={r.note}>{r.note}</span>,
  allowed: (r) => amount(r.allowed),
  charged: (r) => amount(r.charged),
  forecast: (r) => amount(r.forecast),
  basis: (r) => r.basis,
  variance: (r) => (isZero(r.variance) ? '' : <VarianceText value={r.variance} />),
  wip: (r) => amount(r.wip),
  done: (r) => (isZero(r.done) ? '' : quantity(r.done)),
  finished: (r) => r.finished && day(r.finished),
  lead: (r) => r.lead,
  labour: (r) => hours(r.labour),
  labour_allowed: (r) => hours(r.labour_allowed),
  machine: (r) => hours(r.machine),
  machine_allowed: (r) => hours(r.machine_allowed),
  per_hour: (r) => hours(r.per_hour),
  unit_cost: (r) => amount(r.unit_cost),
  by_price: (r) => cause(r.by_price),
  by_rate: (r) => cause(r.by_rate),
  by_usage: (r) => cause(r.by_usage),
  by_efficiency: (r) => cause(r.by_efficiency),
  by_yield: (r) => cause(r.by_yield),
  by_method: (r) => cause(r.by_method),
  by_setup: (r) => cause(r.by_setup),
  by_rework: (r) => cause(r.by_rework),
};

/** What those that match come to, and those that are marked. */
function Foot({ sums, marked, onNone }: { sums: TableSums | undefined; marked: number[]; onNone: () => void }) {
  const { start } = useCommands();
  const may = useMay();
  const own = useQuery(sumsOptions(marked)).data;
  const shown = marked.length > 0 ? own : sums;
  return (
    <footer className="flex min-h-10 flex-wrap items-center gap-x-5 gap-y-1 border-t border-hair-strong px-4 py-1">
      <strong>{marked.length > 0 ? `${marked.length} marked` : 'All that match'}</strong>
      {shown && (
        <span className="text-quiet">
          {shown.late > 0 && `${shown.late} late · `}
          {shown.wip !== '' && `allowed ${money(shown.allowed)} · charged ${money(shown.charged)}, will come to ${money(shown.forecast)} · WIP ${money(shown.wip)} EUR · variance `}
          {shown.wip !== '' && <VarianceText value={shown.variance} />}
        </span>
      )}
      {marked.length > 0 && (
        <span className="ml-auto flex gap-3">
          {may.has('release-orders') && <Button onClick={() => start('release-orders', { orders: marked })}>Release {marked.length}…</Button>}
          {may.has('unwind') && <Button onClick={() => start('unwind', { orders: marked.join(', ') })}>Unwind {marked.length}…</Button>}
          {may.has('make-pick-list') && <Button onClick={() => start('make-pick-list', { order: marked.join(', ') })}>Make a pick list…</Button>}
          <Button look="link" onClick={onNone}>
            Mark none
          </Button>
        </span>
      )}
    </footer>
  );
}

function Views() {
  const views = useQuery(viewsOptions('orders')).data ?? [];
  const { start } = useCommands();
  const [query] = useSearchParams();
  const open = views.find((v) => v.query === query.toString());
  return (
    <nav aria-label="Saved views" className="flex flex-wrap items-baseline gap-x-4">
      {views.map((v) => (
        <Link key={v.name} className={`quiet-link ${v === open ? 'font-semibold' : 'text-act'}`} aria-current={v === open ? 'page' : undefined} to={`/orders/table?${v.query}`} title={v.person}>
          {v.name}
        </Link>
      ))}
      {open ? (
        <Button look="link" onClick={() => start('drop-view', { page: 'orders', name: open.name })}>
          Drop this view…
        </Button>
      ) : (
        <Button look="link" onClick={() => start('save-view', { page: 'orders', query: query.toString() })}>
          Save this view…
        </Button>
      )}
    </nav>
  );
}

function Tools({ named, onColumns, where, sort }: { named: string[]; onColumns: (names: string[]) => void; where: string; sort: string }) {
  const address = (form: string) => `/api/orders/table.${form}?${new URLSearchParams({ where, sort, columns: named.join(',') })}`;
  return (
    <div className="flex flex-wrap items-baseline gap-x-4">
      <details className="relative">
        <summary className="quiet-link cursor-pointer text-act">Columns</summary>
        <div className="absolute right-0 z-20 grid w-64 grid-cols-2 gap-x-3 border border-hair-strong bg-sheet p-3">
          {columns.map((c) => (
            <label key={c.name} className="flex items-center gap-1.5">
              <input type="checkbox" checked={named.includes(c.name)} onChange={(e) => onColumns(e.target.checked ? [...named, c.name] : named.filter((n) => n !== c.name))} />
              {c.words}
            </label>
          ))}
        </div>
      </details>
      <a className="quiet-link text-act" href={address('csv')}>
        CSV
      </a>
      <a className="quiet-link text-act" href={address('xlsx')}>
        XLSX
      </a>
    </div>
  );
}
