import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ClipboardEvent, type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { commandsOptions, type Tree } from '../api/queries';
import { useReads } from '../commands/useMay';
import { money } from '../lib/decimal';
import { ItemCode } from '../ui/ItemCode';
import { asTsv, hasRowsUnder, ownerOf, rowsAbove, selectCostliest, selectMatches, visibleRows } from './tree';
import { Cells, type ColumnSet, heads, isText, What, widths } from './TreeCells';
import { TreeTools } from './TreeTools';

const ROW = 28;
/** the heads and the top item stay in view above the rows */
const HEAD = 24 + ROW;

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
      <TreeTools
        tree={tree}
        deepest={deepest}
        shown={shown.length}
        columns={columns}
        onColumns={setColumns}
        onClosed={setClosed}
        find={find}
        onFind={setFind}
        found={matches.length}
        onNext={findNext}
        finder={finder}
        {...(costliest >= 0 ? { onCostliest: goToCostliest } : {})}
      />
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
