import type { TreeRow } from '../api/queries';
import { isZero, plain } from '../lib/decimal';

/** How far a structure stands open: rows that are closed, by their position. */
export type Closed = ReadonlySet<number>;

export function hasRowsUnder(rows: TreeRow[], n: number): boolean {
  return (rows[n + 1]?.depth ?? -1) > (rows[n]?.depth ?? 0);
}

/** Return the positions of the rows that no closed row hides. */
export function visibleRows(rows: TreeRow[], closed: Closed): number[] {
  const shown: number[] = [];
  let hiddenBelow = Infinity;
  rows.forEach((row, n) => {
    if (row.depth > hiddenBelow) return;
    hiddenBelow = closed.has(n) ? row.depth : Infinity;
    shown.push(n);
  });
  return shown;
}

/** Return the rows to close so that items deeper than a level are out of sight. */
export function closedAt(rows: TreeRow[], level: number): Set<number> {
  return new Set(
    rows.flatMap((row, n) => (opens(row) && (row.level ?? 0) >= level && hasRowsUnder(rows, n) ? [n] : [])),
  );
}

const opens = (row: TreeRow) => row.kind === 'sub-assembly' || row.kind === 'phantom';

/** Return the rows to close so that only what stock does not cover for a standard lot of the top item stands open. */
export function closedByNeed(rows: TreeRow[]): Set<number> {
  return new Set(
    rows.flatMap((row, n) =>
      row.kind === 'sub-assembly' && hasRowsUnder(rows, n) && row.covers_lot ? [n] : [],
    ),
  );
}

/** Return the rows to close so that only the top item's operations are seen. */
export function closedToOperations(rows: TreeRow[]): Set<number> {
  return new Set(rows.flatMap((row, n) => (row.depth === 0 && hasRowsUnder(rows, n) ? [n] : [])));
}

/** Return what stands above a row, the nearest first. */
export function rowsAbove(rows: TreeRow[], n: number): number[] {
  const above: number[] = [];
  let depth = rows[n]?.depth ?? 0;
  for (let at = n - 1; at >= 0 && depth > 0; at--) {
    const row = rows[at];
    if (row && row.depth < depth) {
      above.push(at);
      depth = row.depth;
    }
  }
  return above;
}

/** Return the item whose structure a row belongs to. */
export function ownerOf(rows: TreeRow[], n: number, top: string): string {
  const above = rowsAbove(rows, n).find((a) => opens(rows[a]!));
  return above === undefined ? top : rows[above]!.code;
}

/** Return the component that nothing stands under and that costs most; -1 where none has a cost. */
export function selectCostliest(rows: TreeRow[]): number {
  let best = -1;
  rows.forEach((row, n) => {
    if (row.kind === 'component' && Number(row.cost ?? 0) > Number(rows[best]?.cost ?? 0)) best = n;
  });
  return best;
}

export function selectMatches(rows: TreeRow[], asked: string): number[] {
  const words = asked.toLowerCase().split(' ').filter(Boolean);
  if (words.length === 0) return [];
  return rows.flatMap((row, n) => {
    const text = `${row.code} ${row.name}`.toLowerCase();
    return words.every((w) => text.includes(w)) ? [n] : [];
  });
}

/** Return rows as a spreadsheet takes them: tab-separated, numbers without locale. */
export function asTsv(rows: TreeRow[]): string {
  const number = (text: string | null) => (text === null || isZero(text) ? '' : plain(text));
  const lines = rows.map((r) =>
    [
      r.level ?? '',
      r.operation,
      r.kind,
      r.code,
      r.name,
      number(r.quantity),
      r.line_unit,
      r.per,
      number(r.allowance),
      number(r.yield_share),
      number(r.setup_hours),
      number(r.run_hours),
      number(r.cost),
    ].join('\t'),
  );
  const head = 'level\toperation\tkind\tcode\tname\tquantity\tunit\tper\tallowance\tyield\tsetup h\trun h\tcost';
  return [head, ...lines].join('\n');
}
