import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ClipboardEvent, type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { commandsOptions, documentPath, type Tree, treeDerivationOptions, type TreeRow } from '../api/queries';
import { useReads } from '../commands/useMay';
import { FetchedDerivation } from '../derivation/DerivationLink';
import { isZero, money, percent, quantity } from '../lib/decimal';
import { Choices } from '../ui/Choices';
import { ItemCode } from '../ui/ItemCode';
import { Quantity } from '../ui/Numbers';
import {
  asTsv,
  closedAt,
  closedByNeed,
  closedToOperations,
  hasRowsUnder,
  ownerOf,
  rowsAbove,
  selectCostliest,
  selectMatches,
  visibleRows,
} from './tree';

const columnSets = ['Quantity', 'Time', 'Cost', 'Stock'] as const;
type ColumnSet = (typeof columnSets)[number];
const ROW = 28;
/** the heads and the top item stay in view above the rows */
const HEAD = 24 + ROW;

/** The widths of level, name, code, and the columns of a set. */
const widths: Record<ColumnSet, string> = {
  Quantity: '32px minmax(200px,1fr) 120px 110px 60px 76px 64px 120px 96px',
  Time: '32px minmax(200px,1fr) 120px 90px 100px 64px 130px',
  Cost: '32px minmax(200px,1fr) 120px 110px 110px 110px',
  Stock: '32px minmax(200px,1fr) 120px 110px 130px 120px',
};
const heads: Record<ColumnSet, string[]> = {
  Quantity: ['used', 'per', 'allowance', 'yield', 'in one', 'issued'],
  Time: ['setup h', 'run h/unit', 'yield', 'follows'],
  Cost: ['used', 'share', 'in one, EUR'],
  Stock: ['used', 'on hand', 'enough for'],
};
const isText = (head: string) => ['share', 'issued', 'follows', 'per'].includes(head);

/** The interleaved structure: operations with the lines they use, sub-assemblies opening in place. */
export function StructureTree({ tree, revision }: { tree: Tree; revision: string }) {
  const { rows } = tree;
  const reads = useReads();
  const [columns, setColumns] = useState<ColumnSet>(reads.costs ? 'Cost' : 'Quantity');
  const [closed, setClosed] = useState<ReadonlySet<number>>(new Set());
  const [find, setFind] = useState('');
  const [at, setAt] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const finder = useRef<HTMLInputElement>(null);
  const wanted = useRef<number | null>(null);
  const deepest = useMemo(() => rows.reduce((most, r) => Math.max(most, r.level ?? 0), 1), [rows]);
  const shown = useMemo(() => visibleRows(rows, closed), [rows, closed]);
  const matches = useMemo(() => selectMatches(rows, find), [rows, find]);
  const navigate = useNavigate();
  const mayEdit = useQuery(commandsOptions()).data?.some((c) => c.name === 'draft-structure') ?? false;
  const position = Math.max(0, shown.indexOf(at));
  // oxlint-disable-next-line react/incompatible-library -- nothing here is compiled by the React compiler
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 24,
    scrollMargin: HEAD,
    scrollPaddingStart: HEAD,
  });

  useEffect(() => {
    if (wanted.current === null) return;
    const row = scroller.current?.querySelector<HTMLElement>(`[data-row="${wanted.current}"]`);
    if (!row) return;
    wanted.current = null;
    row.focus({ preventScroll: true });
  });

  /** Put the focus on a row, opening what hides it. */
  function goTo(n: number) {
    const hiding = rowsAbove(rows, n).filter((a) => closed.has(a));
    if (hiding.length > 0) setClosed(new Set([...closed].filter((c) => !hiding.includes(c))));
    setAt(n);
    wanted.current = n;
    const open = hiding.length > 0 ? visibleRows(rows, new Set([...closed].filter((c) => !hiding.includes(c)))) : shown;
    virtual.scrollToIndex(open.indexOf(n), { align: 'auto' });
  }

  function step(by: number) {
    const next = shown[Math.max(0, Math.min(position + by, shown.length - 1))];
    if (next !== undefined) goTo(next);
  }

  function toggle(n: number, open: boolean) {
    const next = new Set(closed);
    if (open) next.delete(n);
    else next.add(n);
    setClosed(next);
  }

  function findNext(backwards: boolean) {
    const next = backwards ? matches.findLast((m) => m < at) ?? matches.at(-1) : matches.find((m) => m > at) ?? matches[0];
    if (next !== undefined) goTo(next);
  }

  const costliest = useMemo(() => selectCostliest(rows), [rows]);
  function goToCostliest() {
    if (!reads.costs) return;
    setColumns('Cost');
    if (costliest >= 0) goTo(costliest);
  }

  useEffect(() => {
    function onKeyDown(event: globalThis.KeyboardEvent) {
      if (event.altKey && event.code === 'KeyX') goToCostliest();
      else if (event.ctrlKey && event.key === 'f') finder.current?.focus();
      else return;
      event.preventDefault();
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  });

  function onRowKey(event: KeyboardEvent<HTMLElement>, n: number) {
    if (event.target !== event.currentTarget || event.ctrlKey || event.altKey) return;
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 0) / ROW) - 3);
    const keys: Record<string, () => void> = {
      ArrowDown: () => step(1),
      ArrowUp: () => step(-1),
      PageDown: () => step(page),
      PageUp: () => step(-page),
      Home: () => step(-shown.length),
      End: () => step(shown.length),
      ArrowRight: () => (closed.has(n) ? toggle(n, true) : step(1)),
      ArrowLeft: () => {
        const above = rowsAbove(rows, n)[0];
        if (hasRowsUnder(rows, n) && !closed.has(n)) toggle(n, false);
        else if (above !== undefined) goTo(above);
      },
      F2: () => edit(n),
      Enter: () => event.currentTarget.querySelector<HTMLElement>('[aria-haspopup]')?.click(),
    };
    const act = keys[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  }

  function onCopy(event: ClipboardEvent) {
    if (getSelection()?.toString()) return;
    event.preventDefault();
    event.clipboardData.setData('text/plain', asTsv(shown.flatMap((n) => rows[n] ?? [])));
  }

  /** Edit a row where it is defined: in the draft of the structure that it belongs to. */
  function edit(n: number) {
    const row = rows[n];
    if (!row || !mayEdit) return;
    const place = row.kind === 'operation' ? `operation ${row.operation}` : row.code;
    void navigate(`/define/items/${encodeURIComponent(ownerOf(rows, n, tree.item))}/edit?at=${encodeURIComponent(place)}`);
  }

  const grid = { gridTemplateColumns: widths[columns] };
  return (
    <section aria-label="Structure" className="flex min-h-0 flex-initial flex-col">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5">
        <Choices label="Columns" options={columnSets.filter((c) => c !== 'Cost' || reads.costs)} value={columns} onChoose={setColumns} />
        <label className="flex items-center gap-1.5 text-quiet">
          Open to
          <select
            className="entry w-44"
            onChange={(e) => {
              const to = e.target.value;
              if (to === 'all') setClosed(new Set());
              else if (to === 'operations') setClosed(closedToOperations(rows));
              else if (to === 'need') setClosed(closedByNeed(rows));
              else setClosed(closedAt(rows, Number(to)));
            }}
          >
            <option value="all">all levels</option>
            <option value="operations">operations</option>
            <option value="need">what a lot of {quantity(tree.standard_lot)} lacks</option>
            {Array.from({ length: deepest }, (_, n) => (
              <option key={n} value={n + 1}>
                level {n + 1}
              </option>
            ))}
          </select>
        </label>
        <span className="relative">
          <input
            ref={finder}
            className="entry w-52"
            aria-label="Find in the structure"
            placeholder="Find, Ctrl-F"
            value={find}
            onChange={(e) => setFind(e.target.value)}
            onKeyDown={(e) => e.key === 'Enter' && (e.preventDefault(), findNext(e.shiftKey))}
          />
        </span>
        {find && (
          <span role="status" className="text-[12px] text-quiet">
            {matches.length === 0 ? 'nothing found' : `${matches.length} found, Enter: next`}
          </span>
        )}
        {costliest >= 0 && (
          <button type="button" className="quiet-link cursor-pointer text-act" onClick={goToCostliest}>
            Costliest component <kbd>Alt-X</kbd>
          </button>
        )}
        <span className="ml-auto text-[12px] text-quiet">
          {shown.length.toLocaleString()} of {rows.length.toLocaleString()} rows{tree.is_cut ? ', cut' : ''}
        </span>
      </div>
      <div ref={scroller} className="min-h-0 flex-initial overflow-auto" onCopy={onCopy}>
        <div role="treegrid" aria-label={`Structure of ${tree.item}`} aria-rowcount={rows.length + 2} className="min-w-[640px]">
          <div role="row" aria-rowindex={1} className="grid-row head sticky top-0 z-10 bg-ground" style={grid}>
            <span role="columnheader">L</span>
            <span role="columnheader">What</span>
            <span role="columnheader">Code</span>
            {heads[columns].map((name) => (
              <span key={name} role="columnheader" className={isText(name) ? '' : 'num'}>
                {name}
              </span>
            ))}
          </div>
          <div role="row" aria-level={1} aria-rowindex={2} className="grid-row sticky top-[24px] z-10 bg-ground" style={grid}>
            <span role="gridcell" className="text-quiet">
              0
            </span>
            <span role="gridcell" className="truncate font-semibold">
              {tree.name}
            </span>
            <span role="gridcell" className="code">
              {tree.item}
            </span>
            {heads[columns].map((name, n) => (
              <span key={name} role="gridcell" className="num font-semibold">
                {columns === 'Cost' &&
                  n === 2 &&
                  (tree.standard === null ? <span className="text-attention">no standard</span> : money(tree.standard))}
              </span>
            ))}
          </div>
          <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((v) => {
              const n = shown[v.index];
              const row = n === undefined ? undefined : rows[n];
              if (n === undefined || !row) return null;
              const opens = hasRowsUnder(rows, n);
              return (
                <div
                  key={n}
                  role="row"
                  data-row={n}
                  aria-level={row.depth + 2}
                  aria-rowindex={n + 3}
                  {...(opens ? { 'aria-expanded': !closed.has(n) } : {})}
                  tabIndex={n === (shown[position] ?? 0) ? 0 : -1}
                  onFocus={() => setAt(n)}
                  onKeyDown={(e) => onRowKey(e, n)}
                  className={`grid-row absolute inset-x-0 top-0 focus:bg-act-wash focus-visible:-outline-offset-2 ${row.kind === 'operation' ? 'border-t border-t-hair-strong' : ''}`}
                  style={{ ...grid, transform: `translateY(${v.start - HEAD}px)` }}
                >
                  <span role="gridcell" className="text-quiet">
                    {row.level ?? ''}
                  </span>
                  <What row={row} opens={opens} isClosed={closed.has(n)} onToggle={() => toggle(n, closed.has(n))} />
                  <span role="gridcell">
                    {row.kind === 'operation' ? <span className="code text-quiet">{row.code}</span> : <ItemCode code={row.code} />}
                  </span>
                  <Cells columns={columns} row={row} tree={tree} revision={revision} />
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </section>
  );
}

function What({ row, opens, isClosed, onToggle }: { row: TreeRow; opens: boolean; isClosed: boolean; onToggle: () => void }) {
  return (
    <span role="gridcell" className="flex h-full min-w-0 items-center p-0!">
      {Array.from({ length: row.depth }, (_, d) => (
        <span key={d} aria-hidden className="ml-2 h-full w-2.5 shrink-0 border-l border-hair-strong" />
      ))}
      {opens ? (
        <button
          type="button"
          tabIndex={-1}
          aria-label={`${isClosed ? 'Open' : 'Close'} ${row.name}`}
          className="w-5 shrink-0 cursor-pointer text-quiet"
          onClick={onToggle}
        >
          {isClosed ? '▸' : '▾'}
        </button>
      ) : (
        <span className="w-5 shrink-0" />
      )}
      {row.kind === 'operation' ? (
        <span className="truncate font-semibold" title={row.name}>
          <span className="mr-1.5 inline-block min-w-5">{row.operation}</span>
          {row.name}
          {row.after && <span className="ml-2 font-normal text-quiet">{afterWords(row.after)}</span>}
          {row.detail && (
            <span className="ml-2 text-[12px] font-normal text-quiet" title={row.detail}>
              {row.detail}
            </span>
          )}
        </span>
      ) : (
        <span className="truncate" title={row.name}>
          {['by-product', 'co-product', 'grade'].includes(row.kind) && <span title={row.kind}>← </span>}
          {row.name}
          {row.detail && <span className="ml-2 text-[12px] text-quiet">{row.detail}</span>}
          {row.kind === 'phantom' && <span className="ml-2 text-[12px] text-quiet">phantom</span>}
          {row.kind === 'co-product' && <span className="ml-2 text-[12px] text-quiet">co-product</span>}
          {row.revision && <span className="ml-2 text-[12px] text-quiet">rev {row.revision}</span>}
          {row.documents.map((name) => (
            <a
              key={name}
              className="quiet-link ml-2 text-[12px]"
              href={documentPath(row.code, name)}
              target="_blank"
              rel="noreferrer"
              tabIndex={-1}
              title={`Open ${name}`}
            >
              {name}
            </a>
          ))}
        </span>
      )}
    </span>
  );
}

export function afterWords(after: number[]): string {
  return after.length > 0 ? `after ${after.join(', ')}` : 'from the start';
}

function Cells({
  columns,
  row,
  tree,
  revision,
}: {
  columns: ColumnSet;
  row: TreeRow;
  tree: Tree;
  revision: string;
}) {
  const cell = (content: React.ReactNode, key: string, className = 'num') => (
    <span key={key} role="gridcell" className={className}>
      {content}
    </span>
  );
  const used = cell(row.quantity !== null && <Quantity value={row.quantity} unit={row.line_unit} />, 'used');
  const yieldShare = cell(row.yield_share !== null && Number(row.yield_share) !== 1 && percent(row.yield_share), 'yield');
  switch (columns) {
    case 'Quantity':
      return (
        <>
          {used}
          {cell(row.quantity !== null && (row.per || 'unit'), 'per', 'text-quiet')}
          {cell(row.allowance !== null && !isZero(row.allowance) && percent(row.allowance), 'allowance')}
          {yieldShare}
          {cell(
            row.need !== null && (
              <FetchedDerivation options={treeDerivationOptions(tree.item, revision, row.key, 'need')} title={`Need of ${row.code}`}>
                <Quantity value={row.need} unit={row.unit} />
              </FetchedDerivation>
            ),
            'need',
          )}
          {cell(row.issue_rule, 'issued', 'text-quiet')}
        </>
      );
    case 'Time':
      return (
        <>
          {cell(row.setup_hours !== null && !isZero(row.setup_hours) && quantity(row.setup_hours), 'setup')}
          {cell(row.run_hours !== null && !isZero(row.run_hours) && quantity(row.run_hours), 'run')}
          {yieldShare}
          {cell(row.after && afterWords(row.after), 'follows', 'text-quiet')}
        </>
      );
    case 'Cost': {
      const share =
        row.cost !== null && tree.standard !== null && !isZero(tree.standard) ? Number(row.cost) / Number(tree.standard) : 0;
      return (
        <>
          {used}
          {cell(
            <span
              aria-hidden
              className={`block h-2 ${share < 0 ? 'bg-favourable' : 'bg-hair-strong'}`}
              style={{ width: `${Math.min(100, Math.abs(share) * 100)}%` }}
            />,
            'share',
            'self-center',
          )}
          {cell(
            row.cost !== null && (
              <FetchedDerivation
                options={treeDerivationOptions(tree.item, revision, row.key)}
                title={`Cost of ${row.kind === 'operation' ? row.name : row.code}`}
              >
                {money(row.cost)}
              </FetchedDerivation>
            ),
            'cost',
          )}
        </>
      );
    }
    case 'Stock':
      return (
        <>
          {used}
          {cell(row.on_hand !== null && <Quantity value={row.on_hand} unit={row.unit} />, 'hand')}
          {cell(
            row.enough_for !== null && <Quantity value={row.enough_for} unit={tree.unit} />,
            'enough',
          )}
        </>
      );
  }
}
