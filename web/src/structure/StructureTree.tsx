import { type KeyboardEvent, useMemo, useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Tree, TreeRow } from '../api/queries';
import { DerivationLink } from '../derivation/DerivationLink';
import { isZero, money, quantity } from '../lib/decimal';
import { Quantity } from '../ui/Numbers';

type Columns = 'Quantity' | 'Time' | 'Cost' | 'Stock';
const sets: Columns[] = ['Quantity', 'Time', 'Cost', 'Stock'];

/** Return for each row whether rows stand under it, and which rows are hidden by closed ones. */
function visibleRows(rows: TreeRow[], closed: Set<number>): number[] {
  const shown: number[] = [];
  let hiddenBelow = Infinity;
  rows.forEach((row, n) => {
    if (row.depth > hiddenBelow) return;
    hiddenBelow = closed.has(n) ? row.depth : Infinity;
    shown.push(n);
  });
  return shown;
}

function hasRowsUnder(rows: TreeRow[], n: number): boolean {
  return (rows[n + 1]?.depth ?? -1) > (rows[n]?.depth ?? 0);
}

/** Return the rows to close so that items deeper than a level are out of sight. */
function closedAt(rows: TreeRow[], level: number): Set<number> {
  return new Set(
    rows.flatMap((row, n) => (row.kind === 'sub-assembly' && (row.level ?? 0) >= level && hasRowsUnder(rows, n) ? [n] : [])),
  );
}

/** The interleaved structure: operations with the lines they use, sub-assemblies opening in place. */
export function StructureTree({ tree }: { tree: Tree }) {
  const [columns, setColumns] = useState<Columns>('Cost');
  const [closed, setClosed] = useState<Set<number>>(new Set());
  const [find, setFind] = useState('');
  const [at, setAt] = useState(0);
  const body = useRef<HTMLTableSectionElement>(null);
  const deepest = Math.max(1, ...tree.rows.map((r) => r.level ?? 0));
  const word = find.toLowerCase();
  const shown = useMemo(() => {
    const open = visibleRows(tree.rows, closed);
    return word
      ? open.filter((n) => `${tree.rows[n]?.code} ${tree.rows[n]?.name}`.toLowerCase().includes(word))
      : open;
  }, [tree.rows, closed, word]);
  const costliest = useMemo(() => {
    let best = -1;
    tree.rows.forEach((row, n) => {
      if (row.level === 1 && row.kind !== 'by-product' && Number(row.cost ?? 0) > Number(tree.rows[best]?.cost ?? 0)) best = n;
    });
    return best;
  }, [tree.rows]);

  function focusRow(position: number) {
    const next = Math.max(0, Math.min(position, shown.length - 1));
    setAt(next);
    body.current?.querySelectorAll<HTMLElement>('tr')[next]?.focus();
  }

  function toggle(n: number, open: boolean) {
    setClosed((was) => {
      const next = new Set(was);
      if (open) next.delete(n);
      else next.add(n);
      return next;
    });
  }

  function onKeyDown(event: KeyboardEvent, position: number, n: number) {
    if (event.target !== event.currentTarget) return;
    const keys: Record<string, () => void> = {
      ArrowDown: () => focusRow(position + 1),
      ArrowUp: () => focusRow(position - 1),
      Home: () => focusRow(0),
      End: () => focusRow(shown.length - 1),
      ArrowRight: () => (closed.has(n) ? toggle(n, true) : focusRow(position + 1)),
      ArrowLeft: () => {
        if (hasRowsUnder(tree.rows, n) && !closed.has(n)) toggle(n, false);
        else {
          const depth = tree.rows[n]?.depth ?? 0;
          let up = position - 1;
          while (up > 0 && (tree.rows[shown[up] ?? 0]?.depth ?? 0) >= depth) up--;
          focusRow(up);
        }
      },
      Enter: () => event.currentTarget.querySelector<HTMLElement>('button, a')?.click(),
    };
    const act = keys[event.key];
    if (act && !event.ctrlKey && !event.altKey) {
      event.preventDefault();
      act();
    }
  }

  return (
    <div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5">
        <div role="group" aria-label="Columns" className="flex">
          {sets.map((name) => (
            <button
              key={name}
              type="button"
              aria-pressed={columns === name}
              onClick={() => setColumns(name)}
              className="h-7 cursor-pointer border-y border-r border-hair-strong px-2.5 first:border-l aria-pressed:bg-act aria-pressed:text-act-ink"
            >
              {name}
            </button>
          ))}
        </div>
        <label className="flex items-center gap-1.5 text-quiet">
          Level
          <select
            className="entry w-14"
            onChange={(e) => setClosed(e.target.value === 'all' ? new Set() : closedAt(tree.rows, Number(e.target.value)))}
          >
            <option value="all">all</option>
            {Array.from({ length: deepest }, (_, n) => (
              <option key={n} value={n + 1}>
                {n + 1}
              </option>
            ))}
          </select>
        </label>
        <input
          className="entry max-w-52"
          aria-label="Find in the structure"
          placeholder="Find a code or word"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
        {costliest >= 0 && (
          <button
            type="button"
            className="quiet-link cursor-pointer text-act"
            onClick={() => {
              setColumns('Cost');
              setFind('');
              focusRow(shown.indexOf(costliest));
            }}
          >
            Costliest component
          </button>
        )}
        <span className="ml-auto text-[12px] text-quiet">
          {shown.length} of {tree.rows.length} rows{tree.is_cut ? ', cut' : ''} · EUR
        </span>
      </div>
      <table role="treegrid" aria-label={`Structure of ${tree.item}`} className="rows">
        <thead>
          <tr>
            <th className="w-8">L</th>
            <th>What</th>
            <th>Code</th>
            {heads(columns, tree.item).map((name) => (
              <th key={name} className={name === 'share' ? '' : 'num'}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr aria-level={1}>
            <td className="text-quiet">0</td>
            <td className="font-semibold">{tree.name}</td>
            <td className="code">{tree.item}</td>
            <td colSpan={columns === 'Cost' ? 2 : heads(columns, '').length - 1} />
            <td className="num font-semibold">
              {columns === 'Cost' && (tree.standard === null ? <span className="text-attention">no standard</span> : money(tree.standard))}
            </td>
          </tr>
        </tbody>
        <tbody ref={body}>
          {shown.map((n, position) => {
            const row = tree.rows[n];
            if (!row) return null;
            const opens = hasRowsUnder(tree.rows, n);
            const isOperation = row.kind === 'operation';
            return (
              <tr
                key={n}
                aria-level={row.depth + 2}
                {...(opens ? { 'aria-expanded': !closed.has(n) } : {})}
                tabIndex={position === Math.min(at, shown.length - 1) ? 0 : -1}
                onFocus={() => setAt(position)}
                onKeyDown={(e) => onKeyDown(e, position, n)}
                className={`focus-visible:bg-act-wash ${isOperation ? '[&>td]:border-t [&>td]:border-t-hair-strong' : ''}`}
              >
                <td className="text-quiet">{row.level ?? ''}</td>
                <td className="p-0!">
                  <span className="flex h-[28px] items-center">
                    {Array.from({ length: row.depth }, (_, d) => (
                      <span key={d} aria-hidden className="ml-2 h-full w-2.5 border-l border-hair-strong" />
                    ))}
                    {opens ? (
                      <button
                        type="button"
                        tabIndex={-1}
                        aria-label={`${closed.has(n) ? 'Open' : 'Close'} ${row.name}`}
                        className="w-5 cursor-pointer text-quiet"
                        onClick={() => toggle(n, closed.has(n))}
                      >
                        {closed.has(n) ? '▸' : '▾'}
                      </button>
                    ) : (
                      <span className="w-5" />
                    )}
                    {isOperation ? (
                      <span className="font-semibold">
                        <span className="mr-1.5 inline-block min-w-5">{row.operation}</span>
                        {row.name}
                      </span>
                    ) : (
                      <span className="truncate">
                        {row.kind === 'by-product' && <span title="by-product">← </span>}
                        {row.name}
                      </span>
                    )}
                  </span>
                </td>
                <td>
                  {isOperation ? (
                    <span className="code text-quiet">{row.code}</span>
                  ) : (
                    <Link tabIndex={-1} className="code quiet-link" to={`/define/items/${encodeURIComponent(row.code)}`}>
                      {row.code}
                    </Link>
                  )}
                </td>
                <Cells columns={columns} row={row} total={tree.standard} />
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

function heads(columns: Columns, top: string): string[] {
  const names: Record<Columns, string[]> = {
    Quantity: ['used', 'per', 'allowance', 'yield'],
    Time: ['setup h', 'run h/unit', 'yield'],
    Cost: ['used', 'share', `in one ${top}`],
    Stock: ['used', 'on hand'],
  };
  return names[columns];
}

function Cells({ columns, row, total }: { columns: Columns; row: TreeRow; total: string | null }) {
  const used = row.quantity !== null && <Quantity value={row.quantity} unit={row.unit} />;
  const yieldShare =
    row.yield_share !== null && Number(row.yield_share) !== 1 && `${quantity(String(Number(row.yield_share) * 100))} %`;
  switch (columns) {
    case 'Quantity':
      return (
        <>
          <td className="num">{used}</td>
          <td className="num text-quiet">{row.quantity !== null && (row.per || 'unit')}</td>
          <td className="num">
            {row.allowance !== null && !isZero(row.allowance) && `${quantity(String(Number(row.allowance) * 100))} %`}
          </td>
          <td className="num">{yieldShare}</td>
        </>
      );
    case 'Time':
      return (
        <>
          <td className="num">{row.setup_hours !== null && !isZero(row.setup_hours) && quantity(row.setup_hours)}</td>
          <td className="num">{row.run_hours !== null && !isZero(row.run_hours) && quantity(row.run_hours)}</td>
          <td className="num">{yieldShare}</td>
        </>
      );
    case 'Cost': {
      const share = row.cost !== null && total !== null && !isZero(total) ? Number(row.cost) / Number(total) : 0;
      return (
        <>
          <td className="num">{used}</td>
          <td className="w-28">
            <span
              aria-hidden
              className={`block h-2 ${share < 0 ? 'bg-favourable' : 'bg-hair-strong'}`}
              style={{ width: `${Math.min(100, Math.abs(share) * 100)}%` }}
            />
          </td>
          <td className="num">
            {row.cost !== null && (
              <DerivationLink rows={row.derivation} title={`Cost of ${row.kind === 'operation' ? row.name : row.code}`}>
                {money(row.cost)}
              </DerivationLink>
            )}
          </td>
        </>
      );
    }
    case 'Stock':
      return (
        <>
          <td className="num">{used}</td>
          <td className="num">{row.on_hand !== null && <Quantity value={row.on_hand} unit={row.unit} />}</td>
        </>
      );
  }
}
